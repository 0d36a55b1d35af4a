"""What became of what a feed measured: the sums close whatever comes in, and a month is signed off as it is."""

import time
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from decimal import Decimal
from threading import Event

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.store.metering import came_in
from gradumen.store.metering.feed_balances import FeedSignOffRow
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.spend.feed_balances import FeedBalanceBody, FeedMeterBody
from tests.conftest import Service
from tests.usecases.metering.test_imported_costs import MORNING, costs, publish, row, send, written
from tests.usecases.rating.test_current_charges import used
from tests.world import GIB, SERVICES, World, egress, files, moment, rate_card, reading

__all__ = ["costs"]
SEPTEMBER, FEED = "2026-09", "tarnwick/north-fell"
SUM = (
    "nobodys",
    "own_use",
    "elsewhere",
    "gave_way",
    "twice",
    "charged",
    "covered",
    "watched",
    "together",
    "no_rate",
    "no_subscription",
)


def balance(
    world: World, feed: str = FEED, period: str = SEPTEMBER, user: str = "mara"
) -> tuple[FeedBalanceBody, dict[str, FeedMeterBody]]:
    """A feed's month, and its meters; what came in is what became of it."""
    world.settle()
    found = world.user(user).feed_balances.get(feed.partition("/")[0], period, feed=feed, wait=60)
    [body] = found.items
    for meter in body.meters:
        assert meter.measured is not None and meter.difference == 0
        assert meter.measured == sum((getattr(meter, name) for name in SUM), Decimal(0))
    assert not any(each.difference for each in body.costs)
    return body, {each.meter: each for each in body.meters}


def test_all_that_came_in_is_charged_or_told_apart(world: World) -> None:
    used(world)
    world.send(
        egress("nobody", 50 * GIB, owner=None),
        # No rate of a card prices this size; Thistledown has no subscription.
        reading("unpriced", meter="compute/vcpu", owner="quillstone/archive", resource="vm-9"),
        egress("a", 90 * GIB, resource="vm-1", sequence=1),
    )
    body, meters = balance(world)
    sent = meters["network/egress"]
    assert sent.measured == (90 + 60 + 300 + 7 + 9 + 50) * GIB, "as it was corrected"
    assert (sent.readings, sent.replaced, sent.taken_back) == (6, 1, 0)
    assert (sent.nobodys, sent.own_use, sent.no_subscription) == (50 * GIB, 9 * GIB, 7 * GIB)
    assert sent.covered and sent.charged
    assert body.open == ["nobody's", "no subscription"] and sent.open == body.open
    assert meters["compute/vcpu"].open == []
    # The same seller's balance of all its customers is the sum of its feeds', but for what is no customer's.
    whole = {each.meter: each for each in world.mara.spend.balances("tarnwick", SEPTEMBER, wait=60).items}
    for meter, told in meters.items():
        for name in ("charged", "covered", "no_rate", "no_subscription"):
            assert getattr(told, name) == getattr(whole[meter], name)


def test_what_no_rate_prices_is_told_by_feed(world: World) -> None:
    mara = world.mara
    mara.clock.set(moment("2026-08-20"), held=True)
    lines = rate_card("tenants-eur", "EUR", "tenants", "1", "2026-09-05").splitlines()
    mara.catalogue.publish("tarnwick", files("\n".join(each for each in lines if "vcpu" not in each)))
    mara.clock.set(moment("2026-10-05"), held=True)
    mara.feeds.create("tarnwick", slug="other", name="Other")
    mine = {"owner": "quillstone/archive"}
    early = {"start": "2026-09-02T00:00:00Z", "end": "2026-09-02T06:00:00Z"}
    world.send(reading("a", **mine), reading("b", **mine, **early, resource="vm-2"))
    world.send(reading("c", **mine, **early, resource="vm-3"), feed="tarnwick/other")
    first, second = (balance(world, feed)[1]["compute/vcpu"] for feed in (FEED, "tarnwick/other"))
    assert first.no_rate == first.charged == 4 * 6 * 3600 and first.open == ["no rate"]
    assert second.charged == second.measured and second.open == []
    # With the machine of each, and the same in sum as before.
    [said] = [each for each in world.mara.spend.period_so_far("tarnwick", SEPTEMBER).links if each.not_priced]
    assert [(each.meter, each.quantity) for each in said.not_priced] == [("compute/vcpu", 4 * 6 * 3600)]
    world.send(egress("d", GIB, owner="thistledown/records", resource="vm-4"))
    world.settle()
    told = {each.meter: each for each in world.mara.spend.not_priced("tarnwick", SEPTEMBER, wait=60).items}
    vcpu, sent = told["compute/vcpu"], told["network/egress"]
    assert (vcpu.reason, vcpu.organisation, vcpu.attributes) == ("no rate", "quillstone", {"size": "small"})
    assert (vcpu.resources, vcpu.examples, vcpu.quantity) == (1, ["vm-1"], 4 * 6 * 3600)
    assert (sent.reason, sent.organisation, sent.quantity) == ("no subscription", "thistledown", GIB)
    assert sent.examples == ["vm-4"] and len(told) == 2
    # Of the link below it is the reseller's own business too, and nobody else's.
    below = world.user("edda").spend.not_priced("oxbow", SEPTEMBER, wait=60).items
    assert [(each.organisation, each.meter) for each in below] == [("thistledown", "network/egress")]
    for user, organisation in (("mara", "oxbow"), ("una", "tarnwick"), ("ines", "oxbow")):
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).spend.not_priced(organisation, SEPTEMBER)


def test_what_is_only_watched_is_nobodys_to_price(world: World) -> None:
    mara, meter = world.mara, "compute/load"
    load = "  load: {name: Load, unit: piece-second, combine: level, watched: true}\nmeters:"
    compute = SERVICES.split("---")[0].replace("meters:", f"meters:\n{load.removesuffix('meters:')}")
    mara.catalogue.publish("tarnwick", files(compute))
    busy = {"meter": meter, "quantity": "1", "unit": "piece"}
    # One whose subscription takes the service, and one who has none.
    world.send(reading("a", owner="quillstone/archive", **busy), reading("b", owner="thistledown/records", **busy))

    def listed() -> list[str]:
        links = mara.spend.period_so_far("tarnwick", SEPTEMBER, wait=60).links
        told = [each.meter for link in links for each in link.not_priced]
        told += [each.meter for each in mara.spend.not_priced("tarnwick", SEPTEMBER, wait=60).items]
        return [*told, *(each.subject for each in mara.to_dos.list("tarnwick") if each.kind == "not priced")]

    body, meters = balance(world)
    assert meters[meter].watched == meters[meter].measured == 2 * 6 * 3600 and body.open == []
    assert meter not in listed()
    [whole] = [each for each in mara.spend.balances("tarnwick", SEPTEMBER, wait=60).items if each.meter == meter]
    assert (whole.watched, whole.no_rate, whole.no_subscription, whole.difference) == (2 * 6 * 3600, 0, 0, 0)
    # To be priced from now on, it lacks that.
    mara.catalogue.publish("tarnwick", files(compute.replace(", watched: true", "")))
    told = balance(world)[1][meter]
    assert told.watched == 0 and told.no_rate == told.no_subscription == 6 * 3600
    assert listed().count(meter) >= 3


def test_readings_across_the_ends_of_a_month_count_where_their_hours_are(world: World) -> None:
    """The month of Dublin's clocks: from 31 August 23:00 UTC until 30 September 23:00."""
    for number, (start, end) in enumerate(
        (
            ("2026-08-31T12:00:00Z", "2026-09-01T11:00:00Z"),
            ("2026-08-31T22:10:00Z", "2026-08-31T23:40:00Z"),
            ("2026-09-30T22:59:59Z", "2026-09-30T23:00:01Z"),
            ("2026-09-30T20:20:00Z", "2026-10-01T05:00:00Z"),
            ("2026-09-30T23:00:00Z", "2026-10-01T00:00:00Z"),
        )
    ):
        place = {"start": start, "end": end, "resource": f"vm-{number}", "owner": "quillstone/archive"}
        world.send(reading(f"r{number}", **place), egress(f"e{number}", 1_000_003, **place))
    months = {period: balance(world, period=period)[1] for period in ("2026-08", SEPTEMBER, "2026-10")}
    seconds = sum((months[period]["compute/vcpu"].measured or 0 for period in months), Decimal(0))
    assert seconds == 4 * (23 * 3600 + 5400 + 2 + 31_200 + 3600)
    assert sum((months[period]["network/egress"].measured or 0 for period in months), Decimal(0)) == 5 * 1_000_003
    assert months["2026-08"]["compute/vcpu"].measured == 4 * (11 * 3600 + 50 * 60)
    assert [months[period]["compute/vcpu"].readings for period in months] == [2, 2, 1]


def test_a_delivery_taken_back_is_no_part_of_it(world: World) -> None:
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    world.send(egress("b", 5 * GIB, owner="quillstone/archive"))
    newest = world.mara.feeds.deliveries(FEED)[0]
    world.mara.deliveries.take_back(newest.id)
    sent = balance(world)[1]["network/egress"]
    assert (sent.measured, sent.readings, sent.taken_back) == (30 * GIB, 1, 1)


def test_however_much_came_at_once_and_however_often_it_was_replaced_it_comes_to_the_same(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Resources, and deliveries that were replaced in part, are looked at in lists of so many."""
    over = {"start": "2026-09-30T22:30:00Z", "end": "2026-10-01T02:00:00Z", "owner": "quillstone/archive"}
    for number in range(3):
        machines = [f"vm-{number}-{each}" for each in range(3)]
        world.send(*(egress(f"e-{each}", 7 * GIB, resource=each, **over) for each in machines))
        world.send(*(reading(f"r-{each}", resource=each, **over) for each in machines))
        # Of three one is replaced; what comes beside another is taken back.
        world.send(egress(f"e-{machines[0]}", 3 * GIB, resource=machines[0], sequence=1, **over))
        world.send(egress(f"late-{number}", GIB, resource=machines[2], owner="quillstone/archive"))
        world.mara.deliveries.take_back(world.mara.feeds.deliveries(FEED)[0].id)
    found = []
    for listed in (900, 4, 2, 1):
        monkeypatch.setattr(came_in, "LISTED", listed)
        found.append([balance(world, period=period) for period in (SEPTEMBER, "2026-10")])
    assert found[1:] == found[:1] * 3
    sent = found[0][0][1]["network/egress"]
    assert (sent.readings, sent.replaced, sent.taken_back) == (9, 3, 3)
    assert (sent.measured or 0) + (found[0][1][1]["network/egress"].measured or 0) == 3 * (7 + 7 + 3) * GIB


def test_what_two_feeds_measured_is_told(world: World) -> None:
    mara = world.mara
    mara.feeds.create("tarnwick", slug="second", name="Second")
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    world.send(egress("a", 29 * GIB, owner="quillstone/archive"), feed="tarnwick/second")
    world.send(egress("b", 2 * GIB, owner="quillstone/archive", resource="vm-2"), feed="tarnwick/second")
    first, second = balance(world), balance(world, "tarnwick/second")
    assert first[1]["network/egress"].twice == 30 * GIB and first[0].open == ["measured twice"]
    assert second[1]["network/egress"].twice == 29 * GIB
    assert (second[1]["network/egress"].charged or 0) + (second[1]["network/egress"].covered or 0) == 2 * GIB


def test_what_another_measured_on_the_days_around_a_month_is_not_of_it(world: World) -> None:
    """The month of Dublin's clocks begins and ends at 23:00 UTC: the hour before is another's, the one after its own."""
    world.mara.feeds.create("tarnwick", slug="second", name="Second")
    mine = {"owner": "quillstone/archive", "resource": "vm-1"}
    hours = {
        "out": ("2026-08-31T22:00:00Z", "2026-08-31T23:00:00Z"),
        "first": ("2026-08-31T23:00:00Z", "2026-09-01T00:00:00Z"),
        "after": ("2026-09-30T23:00:00Z", "2026-10-01T00:00:00Z"),
    }
    world.send(egress("a", 3 * GIB, **mine))
    for name in ("out", "after"):
        start, end = hours[name]
        world.send(egress(name, GIB, start=start, end=end, **mine), feed="tarnwick/second")
    assert balance(world)[0].open == [] and balance(world, "tarnwick/second")[0].meters == []
    start, end = hours["first"]
    world.send(egress("first", GIB, start=start, end=end, **mine), feed="tarnwick/second")
    assert balance(world)[0].open == balance(world, "tarnwick/second")[0].open == ["measured twice"]


def test_what_a_resellers_feed_measured_too_is_told(world: World) -> None:
    world.user("edda").feeds.create("oxbow", slug="own", name="Own")
    world.send(egress("a", 3 * GIB, owner="saltmarsh/harbour"))
    event = egress("a", 2 * GIB, owner="saltmarsh/harbour")
    assert world.user("edda").readings.send("oxbow/own", [event]).refused == 0
    for feed, user, quantity in ((FEED, "mara", 3 * GIB), ("oxbow/own", "edda", 2 * GIB)):
        _, meters = balance(world, feed, user=user)
        assert meters["network/egress"].twice == quantity


def test_costs_of_two_feeds_over_one_resource_are_told_of_each_alone_too(costs: World) -> None:
    costs.mara.feeds.create("tarnwick", slug="cumulant-too", name="Cumulant too")
    costs.mara.imported_costs.set_meter("tarnwick/cumulant-too", "cumulant/cost")
    send(costs, row("10"))
    costs.mara.imported_costs.send("tarnwick/cumulant-too", "costs.csv", written(row("7")), exported_at=moment(MORNING))
    assert balance(costs, "tarnwick/cumulant")[1]["cumulant/cost"].twice == 10_000_000
    assert balance(costs, "tarnwick/cumulant-too")[1]["cumulant/cost"].twice == 7_000_000


def test_costs_are_told_in_money_with_the_suppliers_tax_apart(costs: World) -> None:
    send(costs, row("10.05"), row("-3", 4, ChargeCategory="Credit"), row("5", 5, "acc-8"))
    later = (row("10.05"), row("-3", 4, ChargeCategory="Credit"), row("4", 5, "acc-8"))
    send(costs, *later, row("2.31", 6, ChargeCategory="Tax"), at="2026-09-24 06:00")
    body, meters = balance(costs, "tarnwick/cumulant")
    [cost] = body.costs
    figures = (cost.billed, cost.tax, cost.owned, cost.nobodys, cost.no_exchange_rate)
    assert figures == tuple(map(Decimal, ("13.36", "2.31", "7.05", "4", "0")))
    assert (cost.currency, cost.rows, cost.replaced) == ("EUR", 4, 3)
    sold = meters["cumulant/cost"]
    assert (sold.measured, sold.charged, sold.nobodys) == (11_050_000, 7_050_000, 4_000_000)
    assert body.open == ["nobody's"]


def test_where_effective_cost_is_sold_charges_are_no_sum_of_what_was_billed(costs: World) -> None:
    effective = "  - {rate: cumulant, meter: cumulant/cost, per: EUR, markup: {percent: 10, of: effective}}\n"
    publish(costs, "tenants-eur", "EUR", "tenants", effective, 2)
    send(costs, row("10", EffectiveCost="3"))
    costs.settle()
    [body] = costs.mara.feed_balances.get("tarnwick", SEPTEMBER, feed="tarnwick/cumulant", wait=60).items
    [meter] = body.meters
    assert (meter.measured, meter.charged, meter.difference, body.open) == (10_000_000, 3_000_000, None, [])
    assert body.costs[0].difference == 0


def test_of_sampled_meters_only_readings_are_counted(world: World) -> None:
    ports = "  ports: {name: Ports, unit: port-second, counted: port, combine: level, statistic: max}\n"
    egress_meter = "  egress: {name: Data sent out, unit: byte, combine: sum}\n"
    world.mara.catalogue.publish("tarnwick", files(SERVICES.replace(egress_meter, egress_meter + ports)))
    taken = {"meter": "network/ports", "unit": "port", "attributes": {}}
    world.send(reading("a", owner="quillstone/archive", **taken), reading("b", owner=None, resource="vm-2", **taken))
    [body] = world.mara.feed_balances.get("tarnwick", SEPTEMBER, wait=60).items
    [meter] = body.meters
    assert (meter.readings, meter.measured, meter.charged, meter.difference) == (2, None, None, None)
    assert body.open == ["nobody's", "no rate"]


def test_a_resellers_own_feed_is_between_it_and_its_customers(world: World) -> None:
    edda = world.user("edda")
    edda.feeds.create("oxbow", slug="own", name="Own")
    assert edda.readings.send("oxbow/own", [egress("a", 20 * GIB, owner="saltmarsh/harbour")]).refused == 0
    _, meters = balance(world, "oxbow/own", user="edda")
    sent = meters["network/egress"]
    assert (sent.covered, sent.charged) == (10 * GIB, 10 * GIB)
    # The provider sells it too, on the link above, and its own feeds had no part in it.
    assert [each.meters for each in world.mara.feed_balances.get("tarnwick", SEPTEMBER, wait=60).items] == [[]]
    with pytest.raises(NotFound):
        world.mara.feed_balances.get("tarnwick", SEPTEMBER, feed="oxbow/own")


def test_a_month_is_signed_off_as_it_is_and_told_where_it_changed(world: World) -> None:
    finn, mara = world.user("finn"), world.mara
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"), egress("b", GIB, owner=None, resource="vm-2"))
    assert balance(world)[0].sign_off is None
    with pytest.raises(Invalid, match="nobody's") as refused:
        finn.feed_balances.sign_off(FEED, SEPTEMBER)
    assert refused.value.facts["field"] == "reason"
    for user, error in (("oda", Forbidden), ("edda", NotFound), ("una", NotFound), ("ines", NotFound)):
        with pytest.raises(error):
            world.user(user).feed_balances.sign_off(FEED, SEPTEMBER, "mine")
        with pytest.raises(error):
            world.user(user).feed_balances.withdraw(FEED, SEPTEMBER)
    with pytest.raises(Conflict, match="not over"):
        finn.feed_balances.sign_off(FEED, "2026-10")

    for _ in range(2):
        [signed] = finn.feed_balances.sign_off(FEED, SEPTEMBER, "a machine of the fair").items
        assert signed.sign_off is not None and not signed.sign_off.changed and signed.sign_off.is_open
        assert signed.sign_off.reason == "a machine of the fair"
    rule = OwnershipRuleForm(
        name="fair", owner="quillstone/archive", starts_on=date(2026, 9, 1), conditions={"resource": "vm-2"}
    )
    mara.ownership_rules.set("tarnwick", [rule], mara.ownership_rules.get("tarnwick").version)
    for task in mara.tasks.list("tarnwick"):
        mara.tasks.follow(task.id, seconds=60)
    changed = balance(world)[0]
    assert changed.sign_off is not None and changed.sign_off.changed and changed.open == []
    [signed] = finn.feed_balances.sign_off(FEED, SEPTEMBER).items
    assert signed.sign_off is not None and (signed.sign_off.is_open, signed.sign_off.reason) == (False, None)
    finn.feed_balances.withdraw(FEED, SEPTEMBER)
    finn.feed_balances.withdraw(FEED, SEPTEMBER)
    assert balance(world)[0].sign_off is None
    said = [each.action for each in mara.audit_entries.list("tarnwick")]
    assert said.count("feed month signed off") == 3 and said.count("feed month's sign-off withdrawn") == 1


def test_what_was_signed_off_before_feeds_gave_way_is_no_other_for_it(world: World, service: Service) -> None:
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    world.settle()
    assert balance(world)[0].open == []
    world.user("finn").feed_balances.sign_off(FEED, SEPTEMBER)
    with Session(service.uow.engine) as session:
        [row] = session.scalars(select(FeedSignOffRow))
        meters = [
            {name: value for name, value in each.items() if name != "gave_way"} for each in row.document["meters"]
        ]
        row.document = {**row.document, "meters": meters}
        session.commit()
    signed = balance(world)[0].sign_off
    assert signed is not None and not signed.changed


def test_what_waits_to_be_counted_is_not_signed_off(world: World, service: Service) -> None:
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    balance(world)
    finn = world.user("finn")
    with service.worker.gate:
        world.mara.readings.send(FEED, [egress("b", GIB, owner="quillstone/archive", resource="vm-2")])
        with pytest.raises(Conflict, match="not all counted"):
            finn.feed_balances.sign_off(FEED, SEPTEMBER)
    assert balance(world)[0].open == []
    [signed] = finn.feed_balances.sign_off(FEED, SEPTEMBER).items
    assert signed.sign_off is not None and not signed.sign_off.changed


def test_two_who_sign_off_at_once_are_both_answered(world: World) -> None:
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"))
    balance(world)
    clients = [world.user("finn"), world.mara]
    with ThreadPoolExecutor(8) as pool:
        signed = list(pool.map(lambda n: clients[n % 2].feed_balances.sign_off(FEED, SEPTEMBER), range(8)))
    assert all(found.items[0].sign_off is not None for found in signed)
    now = balance(world)[0].sign_off
    assert now is not None and not now.changed and now.by in ("Finn", "Mara Fell")


def test_only_members_with_money_see_it(world: World) -> None:
    used(world)
    world.settle()
    with pytest.raises(Forbidden):
        world.mara.feed_balances.get("oxbow", SEPTEMBER)
    for user in ("una", "ines", "edda"):
        with pytest.raises((NotFound, Forbidden)):
            world.user(user).feed_balances.get("tarnwick", SEPTEMBER)
    with pytest.raises(NotFound):
        world.mara.feed_balances.get("tarnwick", SEPTEMBER, feed="tarnwick/none")
    assert world.user("edda").feed_balances.get("oxbow", SEPTEMBER).items == []


def test_while_readings_pour_in_nothing_ever_seems_to_lack(world: World) -> None:
    """Whatever is asked in between is of one moment: either something waits, or all that came in is there."""
    over, enough = Event(), Event()

    def pour() -> int:
        sent = 0
        while not over.is_set():
            owner = ("quillstone/archive", None, "saltmarsh/harbour")[sent % 3]
            world.mara.readings.send(FEED, [egress(f"p{sent}", GIB, owner=owner, resource=f"vm-{sent % 5}")])
            sent += 1
            if sent > 10:
                enough.set()
        return sent

    finn = world.user("finn")
    with ThreadPoolExecutor(1) as pool:
        pouring = pool.submit(pour)
        try:
            deadline = time.monotonic() + 4
            while time.monotonic() < deadline or not enough.is_set():
                found = finn.feed_balances.get("tarnwick", SEPTEMBER)
                whole = finn.spend.balances("tarnwick", SEPTEMBER)
                if not found.waiting:
                    assert not any("difference" in each.open for each in found.items)
                if not whole.waiting:
                    assert not any(each.difference for each in whole.items)
        finally:
            over.set()
    body, meters = balance(world)
    assert meters["network/egress"].readings == pouring.result() and "difference" not in body.open
