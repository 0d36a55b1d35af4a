"""What several share is divided among them: each hour's parts are the whole, in usage, charges, costs and balances."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Service, settle
from tests.usecases.metering.test_imported_costs import FEED, costs, row, send
from tests.world import GIB, World, egress, reading
from tests.worlds.balance import unbalanced
from tests.worlds.stored import differing_pairs

__all__ = ["costs"]
QUILLSTONE, BOOKING, HARBOUR = "quillstone/archive", "saltmarsh/booking", "saltmarsh/harbour"


def divide(world: World, shares: dict[str, str], starts_on: str = "2026-09-01", **conditions: str) -> None:
    """Set the one rule, and wait until what it reaches is made again."""
    mara = world.mara
    rule = OwnershipRuleForm(
        name="shared",
        shares={path: Decimal(share) for path, share in shares.items()},
        starts_on=date.fromisoformat(starts_on),
        conditions=conditions or {"account": "acc-9"},
    )
    mara.ownership_rules.set("tarnwick", [rule], mara.ownership_rules.get("tarnwick").version)
    for task in mara.tasks.list("tarnwick"):
        assert mara.tasks.follow(task.id, seconds=60).state == "done"
    world.settle()


def used(world: World, meter: str, by: str = "project") -> dict[str, Decimal]:
    world.settle()
    items = world.mara.usage.sum("tarnwick", "2026-09", by=[by], meter=meter).items
    return {each.keys[by]: each.quantity for each in items}


def test_an_account_of_several_is_divided_among_them(world: World, service: Service) -> None:
    shared = {"owner": None, "account": "acc-9", "resource": "uplink"}
    # Of a prime number of bytes over three and a half hours, beside what one of them has of the same resource.
    span = {"start": "2026-09-10T00:30:00Z", "end": "2026-09-10T04:00:00Z"}
    world.send(egress("a", 1_000_003, **shared, **span), egress("b", 5 * GIB, owner=QUILLSTONE, resource="uplink"))
    assert used(world, "network/egress") == {QUILLSTONE: 5 * GIB}
    divide(world, {QUILLSTONE: "1", BOOKING: "2.5", HARBOUR: "0.5"})
    found = used(world, "network/egress")
    parts = {QUILLSTONE: found[QUILLSTONE] - 5 * GIB, BOOKING: found[BOOKING], HARBOUR: found[HARBOUR]}
    assert sum(parts.values()) == 1_000_003
    for path, share in ((QUILLSTONE, Decimal(1)), (BOOKING, Decimal("2.5")), (HARBOUR, Decimal("0.5"))):
        # Four UTC hours, each split to the millionth.
        assert abs(parts[path] - 1_000_003 * share / 4) <= Decimal("0.000004")
    [item] = world.mara.feed_balances.get("tarnwick", "2026-09", wait=60).items
    [meter] = item.meters
    assert (meter.readings, meter.measured, meter.difference) == (2, 1_000_003 + 5 * GIB, 0) and item.open == []
    assert meter.divided == 1, "once, however many share it; what names its owner is not divided"
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {} and unbalanced(service.uow) == {}


def test_charges_follow_the_shares_and_their_days(world: World, service: Service) -> None:
    """Each is charged its own at its own prices; from another day on others share, and the rest is nobody's."""
    for day in (10, 20):
        world.send(
            reading(f"r{day}", owner=None, account="acc-9", resource="host",
                    start=f"2026-09-{day}T00:00:00Z", end=f"2026-09-{day}T08:00:00Z")
        )  # fmt: skip
    divide(world, {QUILLSTONE: "3", BOOKING: "1"}, starts_on="2026-09-15")
    assert used(world, "compute/vcpu") == {QUILLSTONE: 4 * 8 * 3600 * 3 // 4, BOOKING: 4 * 8 * 3600 // 4}
    links = {each.buyer: each for each in world.mara.spend.period_so_far("tarnwick", "2026-09", wait=60).links}
    amounts = {buyer: [line.amount for line in link.lines if line.rate == "vcpu"] for buyer, link in links.items()}
    # 24 and 8 hours of a processor, at 0.02 and 0.014.
    assert {buyer: each for buyer, each in amounts.items() if each} == {
        "quillstone": [Decimal("0.48")],
        "oxbow": [Decimal("0.11")],
    }
    [item] = world.mara.feed_balances.get("tarnwick", "2026-09", wait=60).items
    assert item.meters[0].nobodys == 4 * 8 * 3600 and item.open == ["nobody's"]
    assert item.meters[0].divided == 1, "from the day on"
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {} and unbalanced(service.uow) == {}


def test_what_is_divided_is_counted_whole_however_much_it_is(costs: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """Looked at in parts: down to days, of which each is more than is looked at at once."""
    send(costs, *(row(str(day), day, "acc-9") for day in (1, 2, 3, 24)))
    costs.send(
        *(
            reading(f"{resource}-{day}", owner=None, account="acc-9", resource=resource,
                    start=f"2026-09-{day}T00:00:00Z", end=f"2026-09-{day}T01:00:00Z")
            for resource in ("one", "two", "three") for day in ("02", "03", "17", "24")
        )
    )  # fmt: skip
    divide(costs, {QUILLSTONE: "1", BOOKING: "1"})
    monkeypatch.setattr("gradumen.usecases.metering.divided_usage.LOOKED_AT", 1)
    found = {item.feed: item for item in costs.mara.feed_balances.get("tarnwick", "2026-09", wait=60).items}
    assert [each.divided for each in found["tarnwick/north-fell"].meters] == [12]
    assert found[FEED].costs[0].divided == 30


def test_costs_are_divided_to_the_last_place_credits_too(costs: World, service: Service) -> None:
    send(costs, row("10", account="acc-9"), row("-0.01", 4, "acc-9", ChargeCategory="Credit"))
    divide(costs, {QUILLSTONE: "1", BOOKING: "1", HARBOUR: "1"})
    billed: dict[str | None, Decimal] = {}
    for each in costs.mara.imported_costs.list("tarnwick", "2026-09"):
        billed[each.owner] = billed.get(each.owner, Decimal(0)) + each.billed
    assert sum(billed.values()) == Decimal("9.99")
    assert set(billed) == {QUILLSTONE, BOOKING, HARBOUR} and max(billed.values()) - min(billed.values()) < Decimal(
        "1e-11"
    )
    [item] = costs.mara.feed_balances.get("tarnwick", "2026-09", feed=FEED, wait=60).items
    assert (item.costs[0].rows, item.costs[0].owned, item.costs[0].difference) == (2, Decimal("9.99"), 0)
    assert (item.costs[0].divided, item.meters[0].divided) == (Decimal("9.99"), 0)
    assert item.meters[0].difference == 0
    settle(service.uow.engine)
    assert unbalanced(service.uow) == {}


def test_what_is_shown_before_is_what_moves(world: World) -> None:
    world.send(egress("a", GIB, owner=None, account="acc-9", resource="uplink"))
    rule = OwnershipRuleForm(
        name="shared", shares={QUILLSTONE: Decimal(1), BOOKING: Decimal(1)}, starts_on=date(2026, 9, 1),
        conditions={"account": "acc-9"},
    )  # fmt: skip
    [move] = world.mara.ownership_rules.preview("tarnwick", [rule]).moves
    assert (move.before, move.after, move.readings) == (None, f"{QUILLSTONE} (1), {BOOKING} (1)", 1)
    assert [each.quantity for each in move.quantities] == [GIB]
    divide(world, {QUILLSTONE: "1", BOOKING: "1"})
    told = world.mara.ownership_rules.get("tarnwick").rules[0]
    assert (told.owner, told.shares) == (None, {QUILLSTONE: 1, BOOKING: 1})
    [back] = world.mara.ownership_rules.preview("tarnwick", []).moves
    assert (back.before, back.after) == (move.after, None)
    assert [each.quantity for each in back.quantities] == [GIB]


@pytest.mark.parametrize(
    ("shares", "named", "field", "said"),
    [
        ({QUILLSTONE: "1"}, None, "rules[0].shares", "among 2 to 50"),
        ({QUILLSTONE: "1", BOOKING: "0"}, None, f"rules[0].shares.{BOOKING}", "above 0"),
        ({QUILLSTONE: "1", BOOKING: "0.0000001"}, None, f"rules[0].shares.{BOOKING}", "6 decimal places"),
        ({QUILLSTONE: "1", "nowhere/at": "1"}, None, "rules[0].shares.nowhere/at", "no project of Tarnwick"),
        ({QUILLSTONE: "1", BOOKING: "1"}, QUILLSTONE, "rules[0].owner", "one owner, or the shares"),
        (None, None, "rules[0].owner", "one owner, or the shares"),
    ],
)
def test_shares_that_make_no_sense_are_refused(
    world: World, shares: dict[str, str] | None, named: str | None, field: str, said: str
) -> None:
    rule = OwnershipRuleForm(
        name="shared",
        owner=named,
        shares=None if shares is None else {path: Decimal(share) for path, share in shares.items()},
        starts_on=date(2026, 9, 1),
        conditions={"account": "acc-9"},
    )
    with pytest.raises(Invalid, match=said) as refused:
        world.mara.ownership_rules.set("tarnwick", [rule], 0)
    assert refused.value.facts["field"] == field
