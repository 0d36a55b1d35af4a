"""Moves under other sellers: who bills what until when, at whose prices, and what each side sees."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest
from sqlalchemy import Engine, text

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, GradumenError, Invalid, NotFound, QuotaExceeded
from gradumen.core.exact import line_amount, round_half_up
from gradumen.usecases.subscriptions.moves_due import complete_moves
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate
from gradumen.wire.subscriptions.orders import OrderCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Service, settle
from tests.world import RUBEN, World, add_bluefern, files, moment, rate_card, reading

pytestmark = pytest.mark.usefixtures("charged_anew")

DAY = date(2026, 10, 15)
AT = datetime(2026, 10, 14, 23, tzinfo=UTC)
"""Midnight in Dublin, where the one that sells to both is at home."""
HOUSE = """
service: labour
name: Labour
category: Other
subcategory: Other (Other)
meters:
  worked: {name: Hours worked, unit: second, combine: sum}
---
plan: house
name: House
services: [labour]
tiers: [{tier: one, name: One}]
---
offer: house
to: all
"""
ToDay = Callable[[str], None]


@pytest.fixture
def bluefern(world: World) -> World:
    add_bluefern(world)
    return world


@pytest.fixture
def to_day(world: World, service: Service) -> ToDay:
    """Let the business clock come to a day, and do what is due."""

    def go(day: str) -> None:
        world.mara.clock.set(moment(f"{day} 09:00"), held=True)
        with service.worker.gate:
            complete_moves(service.uow, at=datetime.now(UTC))

    return go


def plan(world: World, mover: str = "saltmarsh", to: str = "bluefern", day: date = DAY) -> Any:
    return world.mara.moves.plan(mover, to, day, "It moves house.")


def use(identity: str, day: int, month: int = 10) -> dict[str, Any]:
    """Four vCPU for an hour of a day."""
    start, end = (f"2026-{month}-{day:02}T{hour}:00:00Z" for hour in (10, 11))
    return reading(identity, start=start, end=end)


def amounts(client: Client, organisation: str) -> dict[tuple[str, str], dict[str, Decimal]]:
    """By seller and buyer: the amounts of October, by rate."""
    answer = client.spend.period_so_far(organisation, period="2026-10", wait=60)
    return {(each.seller, each.buyer): {line.rate: line.amount for line in each.lines} for each in answer.links}


def of_month(price: str, factor: str, begins: datetime, ends: datetime) -> Decimal:
    """A monthly fee for a part of October, an hour longer than 31 days in all zones here, to the cent."""
    part = Fraction(int((ends - begins).total_seconds()), 31 * 86_400 + 3600)
    exact = Fraction(Decimal(price)) * Fraction(Decimal(factor)) * part
    return line_amount([round_half_up(exact, 12)], "EUR")


IRELAND, BELGIUM = datetime(2026, 9, 30, 23, tzinfo=UTC), datetime(2026, 9, 30, 22, tzinfo=UTC)
IRELANDS_END, BELGIUMS_END = datetime(2026, 11, 1, tzinfo=UTC), datetime(2026, 10, 31, 23, tzinfo=UTC)


def test_each_bills_its_part_of_the_month_at_its_own_prices(bluefern: World, to_day: ToDay) -> None:
    world = bluefern
    plan(world)
    to_day("2026-10-20")
    world.send(*(use(f"r{day}", day) for day in (1, 14, 15, 16, 17)))
    oxbow, belgian = amounts(world.user("edda"), "oxbow"), amounts(world.user(RUBEN), "bluefern")
    provider, own = amounts(world.mara, "tarnwick"), amounts(world.user("ines"), "saltmarsh")

    link, other = ("oxbow", "saltmarsh"), ("bluefern", "saltmarsh")
    before, after = of_month("19.90", "0.95", IRELAND, AT), of_month("19.90", "0.9", AT, BELGIUMS_END)
    assert oxbow[link] == own[link] == {"heath": before, "vcpu": Decimal("0.15")}
    assert belgian[other] == own[other] == {"heath": after, "vcpu": Decimal("0.22")}
    above = {"heath": of_month("19.90", "0.7", IRELAND, AT), "vcpu": Decimal("0.11")}
    below = {"heath": of_month("19.90", "0.6", AT, IRELANDS_END), "vcpu": Decimal("0.14")}
    assert (provider["tarnwick", "oxbow"], provider["tarnwick", "bluefern"]) == (above, below)
    assert own.keys() == {link, other} and oxbow.keys() == {link, ("tarnwick", "oxbow")}
    assert belgian.keys() == {other, ("tarnwick", "bluefern")}


def test_spend_usage_and_margins_follow_and_no_side_sees_the_other(bluefern: World, to_day: ToDay) -> None:
    world = bluefern
    plan(world)
    to_day("2026-10-20")
    world.send(*(use(f"r{day}", day) for day in (1, 14, 15, 16, 17)))

    def buyers(user: str, organisation: str, side: str) -> dict[str, Decimal]:
        found = world.user(user).spend.show(
            organisation, by=["buyer"], side=side, first=date(2026, 10, 1), end=date(2026, 11, 1)
        )
        return {row.keys[0].id or "": row.amount for each in found.currencies for row in each.rows}

    def seconds(user: str, organisation: str) -> Decimal:
        found = world.user(user).usage.sum(organisation, "2026-10", by=["organisation"])
        return sum((each.quantity for each in found.items), Decimal(0))

    hour = 4 * 3600
    assert (seconds("edda", "oxbow"), seconds(RUBEN, "bluefern"), seconds(RUBEN, "saltmarsh")) == (
        2 * hour, 3 * hour, 3 * hour,
    )  # fmt: skip
    assert seconds("mara", "tarnwick") == seconds("ines", "saltmarsh") == 5 * hour
    links = {**amounts(world.user("edda"), "oxbow"), **amounts(world.user(RUBEN), "bluefern")}
    totals = {link: sum(lines.values(), Decimal(0)) for link, lines in links.items()}
    sold = buyers("mara", "tarnwick", "sold")
    assert (sold["oxbow"], sold["bluefern"]) == (totals["tarnwick", "oxbow"], totals["tarnwick", "bluefern"])
    assert buyers("edda", "oxbow", "sold") == {"saltmarsh": totals["oxbow", "saltmarsh"]}
    assert buyers(RUBEN, "bluefern", "sold") == {"saltmarsh": totals["bluefern", "saltmarsh"]}
    paid = totals["oxbow", "saltmarsh"] + totals["bluefern", "saltmarsh"]
    assert buyers("ines", "saltmarsh", "bought") == {"saltmarsh": paid}
    assert buyers(RUBEN, "saltmarsh", "bought") == {"saltmarsh": totals["bluefern", "saltmarsh"]}
    costs = {(row.buyer, row.service): [each.amount for each in row.costs]
             for row in world.mara.spend.margins("tarnwick", "2026-10").rows}  # fmt: skip
    # Five hours cost 0.16 in all: the parts of lines of 0.064 and 0.096, to the cent.
    assert (costs["oxbow", "compute"], costs["bluefern", "compute"]) == ([Decimal("0.06")], [Decimal("0.10")])
    with pytest.raises(NotFound):
        world.user("edda").usage.sum("saltmarsh", "2026-10")
    with pytest.raises(NotFound):
        world.user(RUBEN).spend.show("oxbow", by=["buyer"])


def test_documents_are_each_sellers_and_late_usage_goes_where_it_was_used(bluefern: World, to_day: ToDay) -> None:
    world, edda = bluefern, bluefern.user("edda")
    card = rate_card("oxbow-gbp", "GBP", "any", "0.95", "2026-11-01")
    edda.catalogue.publish("oxbow", files(card.replace("price: 18.9050}", "price: 31, advance: true}")))
    to_day("2026-11-03")
    [october] = world.close("oxbow", "edda", "2026-10")
    assert ("heath", Decimal(31)) in {(line.rate, line.amount) for line in october.lines}
    plan(world, day=date(2026, 11, 15))
    to_day("2026-12-02")
    world.send(use("before", 2, month=11), use("after", 20, month=11))
    [mine] = world.close("oxbow", "edda", "2026-11")
    [theirs] = world.close("bluefern", RUBEN, "2026-11")
    # November was charged in advance; what of it comes after the move comes back.
    assert {line.rate: line.amount for line in mine.lines} == {"heath": Decimal("-16.53"), "vcpu": Decimal("0.08")}
    assert {line.rate: line.amount for line in theirs.lines} == {"heath": Decimal("9.53"), "vcpu": Decimal("0.07")}
    world.send(use("late", 3, month=11), use("late-after", 21, month=11))
    [late] = world.close("oxbow", "edda", "2026-11")
    assert {line.rate: line.amount for line in late.lines} == {"vcpu": Decimal("0.07")}
    assert world.close("oxbow", "edda", "2026-11") == []
    for user, seller in (("edda", "oxbow"), (RUBEN, "bluefern"), ("mara", "tarnwick")):
        compared = world.user(user).spend.compare(seller, "2026-11", wait=60)
        assert [each.buyer for each in compared if each.period != each.spend] == []
        if seller == "oxbow":
            assert [(each.buyer, each.documents == each.period) for each in compared] == [("saltmarsh", True)]
    assert [each.seller for each in world.user("ines").invoices.list(state="issued")].count("bluefern") == 1


def test_withdrawn_it_is_as_if_it_had_never_been_planned(bluefern: World, engine: Engine) -> None:
    world, edda = bluefern, bluefern.user("edda")
    edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="open-range", tier="heath", name="Second",
                           starts_on=date(2026, 9, 1), trial_until=date(2026, 10, 20))
    )  # fmt: skip

    def lines() -> list[tuple[Any, ...]]:
        columns = "subscription_id, depth, seller_id, starts_on, tier, quantity, trial, ends_on, opens_at, closes_at"
        with engine.connect() as connection:
            return sorted(map(tuple, connection.execute(text(f"SELECT {columns} FROM supply_lines WHERE NOT void"))))

    world.mara.quotas.grant("oxbow", "machines", Decimal(9))
    edda.quotas.grant("saltmarsh", "machines", Decimal(4))
    was, charged = lines(), amounts(edda, "oxbow")
    for _ in range(2):
        move = plan(world)
        assert lines() != was
        # What was planned is rated by now.
        settle(engine)
        assert world.mara.moves.withdraw("saltmarsh", move.id).state == "withdrawn"
        assert world.mara.moves.withdraw("saltmarsh", move.id).state == "withdrawn", "asking again changes nothing"
        assert lines() == was
    assert amounts(edda, "oxbow") == charged
    assert {each.measure: each.granted for each in world.user(RUBEN).quotas.list("bluefern")}["machines"] == 0
    world.mara.clock.set(moment("2026-11-05"), held=True)
    assert world.close("bluefern", RUBEN, "2026-10") == [], "who would have sold to it bills nothing"
    bought = world.close("tarnwick", "mara", "2026-10")
    assert {each.buyer for each in bought} == {"oxbow", "quillstone"}


def test_what_the_old_seller_has_not_billed_stands_against_closing(bluefern: World, to_day: ToDay) -> None:
    world, ruben = bluefern, bluefern.user(RUBEN)
    plan(world)
    to_day("2026-11-02")
    for each in ruben.subscriptions.list("saltmarsh"):
        ruben.subscriptions.end(each.id, date(2026, 11, 1))
    ruben.states.change("saltmarsh", "closing", reason="Gone")
    assert world.close("bluefern", RUBEN, "2026-10")
    for month in ("2026-10", "2026-11", "2026-12"):
        ruben.spend.period_so_far("bluefern", month, wait=60)
    with pytest.raises(Conflict, match="closed yet: who sold to it before has not billed all of it"):
        ruben.states.change("saltmarsh", "closed")
    assert world.close("oxbow", "piers", "2026-10")
    for month in ("2026-11", "2026-12"):
        world.user("edda").spend.period_so_far("oxbow", month, wait=60)
    assert ruben.states.change("saltmarsh", "closed").state == "closed"


def test_a_reseller_takes_its_customers_along(bluefern: World, to_day: ToDay) -> None:
    world = bluefern
    world.user(RUBEN).catalogue.publish("bluefern", files(rate_card("resale-gbp", "GBP", "resellers", "0.8")))
    edda = world.user("edda")
    short = edda.subscriptions.create(
        SubscriptionCreate(organisation="thistledown", plan="open-range", tier="moor", name="Short",
                           starts_on=date(2026, 9, 1), ends_on=date(2026, 10, 1))
    )  # fmt: skip
    before = amounts(edda, "oxbow")
    plan(world, "oxbow")
    to_day("2026-10-20")
    after = amounts(world.user("edda"), "oxbow")
    assert after["oxbow", "saltmarsh"] == before["oxbow", "saltmarsh"], "its customers notice nothing"
    assert after["tarnwick", "oxbow"]["heath"] == of_month("19.90", "0.7", IRELAND, AT)
    assert after["bluefern", "oxbow"]["heath"] == of_month("19.90", "0.8", AT, BELGIUMS_END)
    above = amounts(world.mara, "tarnwick")
    assert above["tarnwick", "bluefern"]["heath"] == of_month("19.90", "0.6", AT, IRELANDS_END)
    [seen] = world.user(RUBEN).subscriptions.list("saltmarsh")
    assert seen.tier == "heath"
    with pytest.raises(Conflict, match="another chain of sellers"):
        edda.subscriptions.end(short.id, None)
    # And back again, under the old one: what was before stays each one's.
    plan(world, "oxbow", "tarnwick", date(2026, 10, 25))
    to_day("2026-10-26")
    again = amounts(world.user("edda"), "oxbow")
    assert again["oxbow", "saltmarsh"] == before["oxbow", "saltmarsh"]
    there = datetime(2026, 10, 24, 23, tzinfo=UTC)
    assert again["bluefern", "oxbow"]["heath"] == of_month("19.90", "0.8", AT, there)
    both = Fraction(13_93, 100) * Fraction(int((AT - IRELAND + (IRELANDS_END - there)).total_seconds()), 2_682_000)
    found = world.mara.spend.period_so_far("oxbow", period="2026-10", wait=60)
    [link] = [each for each in found.links if (each.seller, each.buyer) == ("tarnwick", "oxbow")]
    assert abs(sum((line.amount for line in link.lines), Decimal(0)) - round_half_up(both, 2)) <= Decimal("0.01")


def test_limits_are_held_at_both_until_the_day(bluefern: World, to_day: ToDay) -> None:
    world, edda, ruben = bluefern, bluefern.user("edda"), bluefern.user(RUBEN)
    world.mara.quotas.grant("oxbow", "machines", Decimal(10))
    world.mara.quotas.grant("bluefern", "machines", Decimal(6))
    edda.quotas.grant("saltmarsh", "machines", Decimal(7))
    told = world.mara.moves.plan("saltmarsh", "bluefern", DAY, "why", check=True)
    assert told.hindrances == [
        "Saltmarsh Ferries can have at most 6 machines: its 0 and the 6 that Bluefern Hosting has free"
    ]
    with pytest.raises(Conflict, match="at most 6 machines"):
        plan(world)
    edda.quotas.grant("saltmarsh", "machines", Decimal(5))
    assert [(each.measure, each.limit, each.left) for each in plan(world).limits] == [("machines", 5, 1)]
    assert {each.measure: each.left for each in ruben.quotas.list("bluefern")}["machines"] == 1
    with pytest.raises(QuotaExceeded, match="at most 6 machines"):
        edda.quotas.grant("saltmarsh", "machines", Decimal(7))
    with pytest.raises(GradumenError, match="take 1 back"):
        world.mara.quotas.grant("bluefern", "machines", Decimal(4))
    assert edda.quotas.grant("saltmarsh", "machines", Decimal(6)).limit == 6
    assert {each.measure: each.left for each in edda.quotas.list("oxbow")}["machines"] == 4
    to_day("2026-10-15")
    assert {each.measure: each.left for each in edda.quotas.list("oxbow")}["machines"] == 10
    assert {each.measure: each.left for each in ruben.quotas.list("bluefern")}["machines"] == 0
    assert world.user(RUBEN).quotas.changes("saltmarsh") == [], "what was before is not the new seller's to read"
    assert ruben.quotas.grant("saltmarsh", "machines", Decimal(3)).limit == 3


def test_what_is_made_and_changed_meanwhile_moves_too(bluefern: World, to_day: ToDay) -> None:
    world, edda = bluefern, bluefern.user("edda")
    plan(world)
    made = edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="open-range", tier="heath", name="Late",
                           starts_on=date(2026, 10, 10), quantity=2)
    )  # fmt: skip
    [old] = [each for each in edda.subscriptions.list("saltmarsh") if each.name == "Open Range"]
    edda.subscriptions.change(old.id, SubscriptionChange(starts_on=date(2026, 10, 8), tier="moor"))
    with pytest.raises(Conflict, match="from another seller from 2026-10-15 on"):
        edda.subscriptions.change(made.id, SubscriptionChange(starts_on=date(2026, 10, 15), quantity=3))
    with pytest.raises(Conflict, match="from another seller from 2026-10-15 on"):
        edda.subscriptions.create(
            SubscriptionCreate(organisation="saltmarsh", plan="open-range", tier="heath", name="Later",
                               starts_on=date(2026, 10, 15))
        )  # fmt: skip
    to_day("2026-10-20")
    found = world.user(RUBEN).spend.period_so_far("saltmarsh", period="2026-10", wait=60)
    [link] = [each for each in found.links if each.seller == "bluefern"]
    assert sorted((line.subscription, line.rate) for line in link.lines) == [("Late", "heath"), ("Open Range", "moor")]
    ruben = world.user(RUBEN)
    stretches = {
        each.name: [(it.starts_on, it.tier) for it in each.stretches] for each in ruben.subscriptions.list("saltmarsh")
    }
    assert stretches == {"Late": [(DAY, "heath")], "Open Range": [(DAY, "moor")]}
    [mine] = [each for each in ruben.subscriptions.list("saltmarsh") if each.name == "Late"]
    ruben.subscriptions.change(mine.id, SubscriptionChange(starts_on=date(2026, 10, 22), quantity=1))
    assert ruben.subscriptions.end(mine.id, date(2026, 10, 25)).ends_on == date(2026, 10, 25)


def test_what_waits_is_over_and_what_is_the_old_sellers_own_ends(bluefern: World, to_day: ToDay) -> None:
    world, edda, ines = bluefern, bluefern.user("edda"), bluefern.user("ines")
    edda.catalogue.publish("oxbow", files(HOUSE))
    edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="house", tier="one", name="House", starts_on=date(2026, 9, 1))
    )
    world.mara.quotas.grant("oxbow", "machines", Decimal(5))
    ines.quota_requests.ask("saltmarsh", "machines", Decimal(2), "More.")
    order = ines.orders.place(
        "saltmarsh",
        OrderCreate.model_validate({"kind": "subscribe", "plan": "open-range", "tier": "heath", "name": "Third",
                                    "day": "2026-10-06"}),
    )  # fmt: skip
    assert order.state == "waiting"
    told = plan(world)
    assert [(each.subscription, each.plan, each.ends) for each in told.subscriptions] == [
        ("Open Range", "Open Range", False)
    ], "the seller's own is between it and its customer"
    [shown] = ines.moves.list("saltmarsh")
    assert [(each.subscription, each.ends, each.monthly) for each in shown.subscriptions] == [
        ("House", True, None), ("Open Range", False, Decimal("17.91")),
    ]  # fmt: skip
    to_day("2026-10-16")
    assert [each.state for each in ines.orders.list("saltmarsh")] == ["withdrawn"]
    assert [each.state for each in ines.quota_requests.list("saltmarsh")] == ["withdrawn"]
    [ended] = [each for each in ines.subscriptions.list("saltmarsh") if each.name == "House"]
    assert ended.ends_on == DAY
    with pytest.raises(NotFound):
        world.user(RUBEN).subscriptions.end(ended.id, None)


def test_who_decides_who_is_told_and_what_stands_against_it(bluefern: World) -> None:
    world, mara = bluefern, bluefern.mara
    with pytest.raises(Invalid, match="after today, 2026-10-05"):
        plan(world, day=date(2026, 10, 5))
    with pytest.raises(Invalid, match="is a tenant"):
        plan(world, to="quillstone")
    mara.organisations.create(
        OrganisationCreate(parent="oxbow", type="reseller", slug="pebble", name="Pebble & Pine", country="SE",
                           currency="SEK", billing_zone="Europe/Stockholm")
    )  # fmt: skip
    with pytest.raises(Invalid, match="Pebble & Pine buys from Oxbow"):
        plan(world, "oxbow", "pebble")
    with pytest.raises(Conflict, match="buys from Oxbow Managed IT already"):
        plan(world, to="oxbow")
    with pytest.raises(Conflict, match="buys from nobody"):
        plan(world, "tarnwick", "oxbow")
    told = mara.moves.plan("quillstone", "bluefern", DAY, "why", check=True)
    assert told.hindrances == ["the seller on this link has no rate card for tenants in EUR; publish one first"]
    with pytest.raises(NotFound):
        world.user("edda").moves.plan("saltmarsh", "bluefern", DAY, "why")
    with pytest.raises(Forbidden):
        world.user("finn").moves.plan("saltmarsh", "bluefern", DAY, "why")
    move = plan(world)
    assert plan(world).id == move.id, "asking again changes nothing"
    with pytest.raises(Conflict, match="Saltmarsh Ferries is to move on 2026-10-15"):
        plan(world, "oxbow", "bluefern", date(2026, 10, 20))
    with pytest.raises(NotFound):
        world.user(RUBEN).moves.list("saltmarsh")
    [seen] = world.user("edda").moves.list("saltmarsh")
    assert (seen.from_seller, seen.to_seller, seen.to_name, seen.reason, seen.limits, seen.may_withdraw) == (
        "oxbow", None, None, None, [], False,
    )  # fmt: skip
    assert "another seller" in seen.sentences[0] and "Bluefern" not in seen.model_dump_json()
    with pytest.raises(Forbidden):
        world.user("edda").moves.withdraw("saltmarsh", move.id)
    mails = {user: [each.text for each in world.user(user).messages.list(owner) if each.kind == "move"]
             for user, owner in (("edda", "oxbow"), (RUBEN, "bluefern"), ("ines", "saltmarsh"))}  # fmt: skip
    assert "until 14 October 2026" in mails["edda"][0] and "Bluefern" not in mails["edda"][0]
    assert "buys from you from 15 October 2026 on" in mails[RUBEN][0] and "Oxbow" not in mails[RUBEN][0]
    assert "buys from Bluefern Hosting from 15 October 2026 on" in mails["ines"][0]
    records = {user: [each.model_dump_json() for each in world.user(user).audit_entries.list(owner) if "move" in each.action]
               for user, owner in (("edda", "oxbow"), (RUBEN, "bluefern"))}  # fmt: skip
    assert records["edda"] and "bluefern" not in "".join(records["edda"])
    assert records[RUBEN] and "oxbow" not in "".join(records[RUBEN])


def test_a_feed_writes_for_who_was_below_it_when_a_reading_started(bluefern: World, to_day: ToDay) -> None:
    world, edda = bluefern, bluefern.user("edda")
    edda.feeds.create("oxbow", slug="own", name="Own")
    plan(world)
    to_day("2026-10-20")
    outcome = edda.readings.send("oxbow/own", [use("before", 14), use("after", 15)])
    assert [each.status for each in outcome.outcomes] == ["accepted", "refused"]
    assert "moved to another seller" in (outcome.outcomes[1].reason or "")


def test_what_is_charged_by_hand_after_a_move_is_the_new_buyers_alone(
    bluefern: World, to_day: ToDay, service: Service
) -> None:
    """The provider sells to both resellers; what it charges the one is nothing that the other pays for or reads."""
    world = bluefern
    plan(world)
    to_day("2026-10-20")
    given = {"seller": "tarnwick", "organisation": "saltmarsh", "subscription": "Open Range"}
    for day, amount, currency in ((date(2026, 10, 14), "7", "GBP"), (DAY, "50", "EUR")):
        body = OneOffChargeCreate(**given, day=day, currency=currency, description=f"Work of {day}", amount=amount)
        world.mara.one_off_charges.enter(body, key=str(day))
    settle(service.uow.engine)
    with service.uow.engine.begin() as connection:
        oxbow = "buyer_id = (SELECT id FROM organisations WHERE slug = 'oxbow')"
        again = "wanted = wanted + 1, stale_since = UTC_TIMESTAMP(6), not_before = NULL"
        connection.execute(text(f"UPDATE pairs SET {again} WHERE {oxbow} AND period = '2026-10'"))
    found = world.mara.spend.period_so_far("tarnwick", period="2026-10", wait=60)
    charged = {
        (each.buyer, line.description) for each in found.links for line in each.lines if "Work of" in line.description
    }
    assert len(charged) == 2
    assert {buyer: text[-2:] for buyer, text in charged} == {"oxbow": "14", "bluefern": "15"}
    assert {(each.buyer, each.day) for each in world.mara.one_off_charges.list("tarnwick")} == {
        ("oxbow", date(2026, 10, 14)),
        ("bluefern", DAY),
    }


def test_neither_a_move_nor_its_withdrawal_carries_what_is_charged_by_hand_to_another_buyer(bluefern: World) -> None:
    """It would be in another currency there: the provider charges Oxbow in pounds, and Bluefern in euros."""
    world = bluefern
    given = {"organisation": "saltmarsh", "subscription": "Open Range", "day": date(2026, 10, 17), "amount": "50"}

    def enter(currency: str) -> OneOffChargeBody:
        body = OneOffChargeCreate(seller="tarnwick", currency=currency, description="Work", **given)
        return world.mara.one_off_charges.enter(body, key=currency)

    pounds = enter("GBP")
    with pytest.raises(Conflict, match="you charge something by hand for 2026-10-15 or a later day"):
        plan(world)
    world.mara.one_off_charges.withdraw(pounds.id)
    move = plan(world)
    euros = enter("EUR")
    with pytest.raises(Conflict, match="you charge something by hand"):
        world.mara.moves.withdraw("saltmarsh", move.id)
    world.mara.one_off_charges.withdraw(euros.id)
    assert world.mara.moves.withdraw("saltmarsh", move.id).state == "withdrawn"
