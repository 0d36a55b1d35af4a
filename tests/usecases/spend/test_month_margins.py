"""What a month came to: what documents charge, beside what suppliers and own services cost."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Forbidden, NotFound
from gradumen.core.exact import add
from gradumen.wire.spend.month_margins import MonthMarginBody, MonthMarginsBody
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import GIB, NIGHT, World, egress, files, moment, rate_card, reading

COST = [(50, Decimal("0.028")), (150, Decimal("0.020")), (10**9, Decimal("0.012"))]
"""Blocks of the world's cost card: their sizes and prices."""
OWN = rate_card("own-cost", "EUR", "own-use", "0.4", "2026-11-01")


def stepped(gib: int) -> Decimal:
    """What an amount of egress costs by the cost card."""
    found = Decimal(0)
    for size, price in COST:
        found += min(gib, size) * price
        gib -= min(gib, size)
    return found


def of(found: MonthMarginsBody, buyer: str, service: str) -> MonthMarginBody:
    return next(row for row in found.rows if (row.buyer, row.service) == (buyer, service))


def used(world: World) -> None:
    world.send(
        egress("q", 300 * GIB, owner="quillstone/archive"),
        egress("s", 100 * GIB, owner="saltmarsh/booking"),
        egress("o", 60 * GIB, owner="tarnwick/own"),
        reading("v"),
    )


def test_the_provider_sees_what_customers_cost_it(world: World) -> None:
    used(world)
    found = world.user("finn").spend.margins("tarnwick", "2026-09", wait=60)
    assert (found.seller, found.period, found.cost_not_known) == ("tarnwick", "2026-09", [])
    archive = of(found, "quillstone", "network")
    assert archive.charged == Decimal("14.00"), "3.5 + 7.5 + 3"
    assert [(cost.source, cost.currency, cost.amount) for cost in archive.costs] == [
        ("tarnwick", "EUR", stepped(300)),
    ]
    assert (archive.margin, archive.percent) == (Decimal("8.4"), Decimal("60.0"))
    resold = of(found, "oxbow", "network")
    assert [cost.amount for cost in resold.costs] == [stepped(100)], "what an allowance covers costs as well"
    assert (resold.currency, resold.margin, resold.percent) == ("GBP", None, None), "cost is in EUR"
    own = of(found, "tarnwick", "network")
    assert (own.charged, own.margin, own.percent) == (Decimal(0), -stepped(60), None)
    assert found.rows[-1].buyer == "tarnwick", "own use comes last"


def test_charged_is_what_the_documents_have(world: World) -> None:
    used(world)
    seen = {
        seller: world.user(user).spend.margins(seller, "2026-09", wait=60)
        for seller, user in (("tarnwick", "finn"), ("oxbow", "piers"))
    }
    for seller, user in (("oxbow", "edda"), ("tarnwick", "finn")):
        for invoice in world.close(seller, user, "2026-09"):
            september = add([line.amount for line in invoice.lines if f"{line.service_end}" >= "2026-09-0"])
            rows = [row for row in seen[seller].rows if row.buyer == invoice.buyer]
            assert add([row.charged for row in rows]) == september


def test_a_reseller_sees_what_it_paid_beside_what_it_took(world: World) -> None:
    used(world)
    mine = SubscriptionCreate(organisation="oxbow", plan="open-range", tier="moor", name="Ours", starts_on="2026-09-01")
    world.mara.subscriptions.create(mine)
    found = world.user("piers").spend.margins("oxbow", "2026-09", wait=60)
    assert {(row.buyer, row.service) for row in found.rows} == {
        ("saltmarsh", "network"),
        ("saltmarsh", "compute"),
        ("saltmarsh", "open-range"),
        ("oxbow", "open-range"),
    }
    assert {cost.source for row in found.rows for cost in row.costs} == {"tarnwick"}
    (link,) = [
        each
        for each in world.user("piers").spend.period_so_far("oxbow", "2026-09", wait=60).links
        if each.buyer == "oxbow"
    ]
    assert add([cost.amount for row in found.rows for cost in row.costs]) == link.net
    sold = of(found, "saltmarsh", "network")
    assert sold.margin == sold.charged - sold.costs[0].amount
    assert of(found, "oxbow", "open-range").charged == 0
    assert found.cost_not_known == [], "the services are its supplier's"


def test_fixed_cost_is_borne_by_customers_and_own_use_alike(world: World) -> None:
    spread = OWN + "  - {rate: rent, spread: 92, by: network/egress}\noverhead: 10\n"
    world.mara.catalogue.publish("tarnwick", files(spread))
    world.mara.clock.set(moment("2026-11-03"), held=True)
    month = {"start": "2026-11-02T00:00:00Z", "end": "2026-11-02T01:00:00Z"}
    world.send(
        egress("q", 300 * GIB, owner="quillstone/archive", **month),
        egress("s", 100 * GIB, owner="saltmarsh/booking", **month),
        egress("o", 60 * GIB, owner="tarnwick/own", **month),
    )
    found = world.mara.spend.margins("tarnwick", "2026-11", wait=60)
    fees = {"quillstone": "moor", "oxbow": "heath", "tarnwick": "moor"}
    fixed = {"quillstone": Decimal(60), "oxbow": Decimal(20), "tarnwick": Decimal(12)}
    for buyer, gib in (("quillstone", 300), ("oxbow", 100), ("tarnwick", 60)):
        fee = {"heath": Decimal("7.96"), "moor": Decimal("31.6")}[fees[buyer]]
        direct = stepped(gib) + fee + fixed[buyer]
        costs = [cost.amount for row in found.rows if row.buyer == buyer for cost in row.costs]
        assert abs(add(costs) - direct * Decimal("1.1")) <= Decimal("0.01"), buyer
    shared = of(found, "quillstone", "shared-cost")
    assert (shared.service_name, shared.charged) == ("Fixed cost and overhead", 0)
    resold = of(found, "oxbow", "shared-cost")
    assert (resold.currency, resold.costs[0].currency, resold.margin) == ("GBP", "EUR", None), "billed in GBP"
    (own,) = [
        each
        for each in world.mara.spend.period_so_far("tarnwick", "2026-11", wait=60).links
        if each.buyer == "tarnwick"
    ]
    rent = next(line for line in own.lines if line.rate == "rent")
    assert rent.amount == Decimal(12), "not the whole of it: customers bear theirs"


def test_own_meters_without_a_cost_are_named(world: World) -> None:
    head, _, blocks = OWN.partition("  - rate: egress")
    world.mara.catalogue.publish("tarnwick", files(head + "  - {rate: heath" + blocks.partition("  - {rate: heath")[2]))
    world.mara.clock.set(moment("2026-11-03"), held=True)
    world.send(egress("q", GIB, owner="quillstone/archive", start="2026-11-02T00:00:00Z", end="2026-11-02T01:00:00Z"))
    found = world.mara.spend.margins("tarnwick", wait=60)
    assert (found.period, found.cost_not_known) == ("2026-11", ["network/egress"])
    assert of(found, "quillstone", "network").costs == []


def test_what_is_earned_is_for_members_of_the_seller(world: World) -> None:
    for user, seller in (("mara", "oxbow"), ("oda", "oxbow"), ("edda", "saltmarsh")):
        with pytest.raises(Forbidden):
            world.user(user).spend.margins(seller, wait=60)
    (fee,) = world.user("vera").spend.margins("saltmarsh", "2026-09", wait=60).rows
    assert (fee.buyer, fee.charged, fee.costs[0].source) == ("saltmarsh", 0, "oxbow"), "it sells nothing"
    for user, seller in (("edda", "tarnwick"), ("ines", "oxbow"), ("una", "oxbow"), ("ines", "tarnwick")):
        with pytest.raises(NotFound):
            world.user(user).spend.margins(seller, wait=60)


def test_what_a_seller_charges_itself_by_hand_is_with_its_own_use(world: World) -> None:
    entered = {
        "seller": "tarnwick",
        "organisation": "tarnwick",
        "subscription": "Open Range",
        "day": "2026-09-09",
        "description": "New racks",
        "amount": "75",
        "currency": "EUR",
    }
    world.mara.one_off_charges.enter(OneOffChargeCreate.model_validate(entered))
    (own,) = [
        each
        for each in world.mara.spend.period_so_far("tarnwick", "2026-09", wait=60).links
        if each.buyer == "tarnwick"
    ]
    assert [line.amount for line in own.lines if line.description == "New racks"] == [Decimal(75)]
    margins = world.mara.spend.margins("tarnwick", "2026-09", wait=60)
    racks, fees = of(margins, "tarnwick", "one-off"), of(margins, "tarnwick", "open-range")
    assert (racks.service_name, racks.charged, racks.margin) == ("One-off charges", Decimal(0), Decimal(-75))
    assert (fees.charged, fees.margin) == (Decimal(0), Decimal("-31.6"))


def test_own_use_has_nothing_of_what_customers_use_that_no_cost_is_known_of(world: World) -> None:
    """Neither the days of what their lines cost, nor what of theirs nothing prices."""
    head, _, blocks = OWN.partition("  - rate: egress")
    fees = "  - {rate: heath" + blocks.partition("  - {rate: heath")[2]
    world.mara.catalogue.publish(
        "tarnwick", files(head + fees + "  - {rate: rent, spread: 92, by: compute/vcpu}\n")
    )  # fmt: skip
    world.mara.clock.set(moment("2026-11-03"), held=True)
    month = {"start": "2026-11-02T00:00:00Z", "end": "2026-11-02T01:00:00Z"}
    world.send(
        egress("q", GIB, owner="quillstone/archive", **month),
        reading("c", owner="quillstone/archive", resource="vm-q", **month),
        reading("o", owner="tarnwick/own", resource="vm-o", **month),
    )
    links = world.mara.spend.period_so_far("tarnwick", "2026-11", wait=60).links
    [own] = [each for each in links if each.buyer == "tarnwick"]
    assert own.not_priced == [] and next(line.amount for line in own.lines if line.rate == "rent") == 46
    days = add([each.amount for each in own.days])
    assert abs(days - own.net) < Decimal("0.02"), "its own days alone"
    assert world.mara.spend.margins("tarnwick", "2026-11", wait=60).cost_not_known == ["network/egress"]


def test_a_time_window_of_a_cost_card_alone_tells_hours_apart(world: World) -> None:
    """Of one that prices what is bought in pounds, by which nothing is sold."""
    card = rate_card("own-cost-gbp", "GBP", "own-use", "0.4", "2026-11-01") + NIGHT.format(price="0.004")
    world.mara.catalogue.publish("tarnwick", files(card))
    world.mara.clock.set(moment("2026-11-03"), held=True)
    hours = {"start": "2026-11-02T02:00:00Z", "end": "2026-11-02T08:00:00Z"}
    world.send(reading("night", quantity="400", **hours))
    found = of(world.mara.spend.margins("tarnwick", "2026-11", wait=60), "oxbow", "compute")
    costs = [(each.currency, each.amount) for each in found.costs]
    assert costs == [("GBP", Decimal("12.8"))], "400 processors, 4 hours at 0.004, 2 at 0.008"
