"""Rules of ownership are tried as a task: what it comes to is what setting them does, and nothing is touched by it."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.usecases.billing import ownership_trials
from gradumen.wire.billing.ownership_trials import OwnershipTrialBody
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm
from tests.conftest import Begin, Service
from tests.usecases.metering.test_held import event, november, told
from tests.usecases.metering.test_imported_costs import costs, row, send
from tests.usecases.metering.test_ownership_rules import owners, put, rule, sent
from tests.world import GIB, World, egress, moment, reading

__all__ = ["costs", "november"]
SEVEN = rule("Seven", "quillstone/archive", account="acc-7")
SHARED = OwnershipRuleForm(
    name="Eight",
    shares={"quillstone/archive": Decimal(1), "saltmarsh/booking": Decimal(2)},
    starts_on=date(2026, 9, 1),
    conditions={"account": "acc-8"},
)


@pytest.fixture
def closed(world: World, begin: Begin) -> World:
    """September is billed; later something comes of it that is nobody's."""

    def make() -> None:
        world.send(egress("a", 100 * GIB, owner="quillstone/archive"), egress("b", 7 * GIB))
        world.close("tarnwick", "mara", "2026-09")
        world.send(
            *(sent(f"a-{day}", day, "acc-7", 9 * GIB, resource=f"box-{day % 2}") for day in range(1, 11)),
            sent("b-8", 3, "acc-8", 33 * GIB, resource="vault"),
            sent(
                "over", 30, "acc-7", 5 * GIB, resource="late", start="2026-09-30T18:00:00Z", end="2026-10-01T06:00:00Z"
            ),
        )
        world.settle()

    begin(make)
    return world


def tried(world: World, *rules: OwnershipRuleForm, user: str = "mara", seller: str = "tarnwick") -> OwnershipTrialBody:
    """A trial that is done."""
    client = world.user(user)
    found = client.ownership_trials.wait(client.ownership_trials.ask(seller, rules).id, seconds=60)
    assert found.state == "done", found.problem
    return found


def nets(world: World, period: str, seller: str = "tarnwick", user: str = "mara") -> dict[str, Decimal]:
    """What a seller's customers are charged in a period, by customer."""
    found = world.user(user).spend.period_so_far(seller, period, wait=60).links
    return {each.buyer: add([line.amount for line in each.lines]) for each in found if each.seller == seller}


def differences(found: OwnershipTrialBody) -> dict[tuple[str, str], tuple[Decimal, Decimal]]:
    return {(each.period, each.buyer): (each.before, each.after) for each in found.links}


def check_as_shown(world: World, rules: list[OwnershipRuleForm], **seller: str) -> OwnershipTrialBody:
    """Try rules, set them, and find every link's months exactly as they were shown; all others as they were."""
    found = tried(world, *rules, **seller)
    months = sorted({each.period for each in found.links})
    before = {month: nets(world, month, **seller) for month in months}
    put(world, *rules)
    after = {month: nets(world, month, **seller) for month in months}
    actual = {
        (month, buyer): (before[month].get(buyer, Decimal(0)), amount)
        for month in months
        for buyer, amount in after[month].items()
        if before[month].get(buyer, Decimal(0)) != amount
    }
    assert differences(found) == actual
    return found


def test_what_months_would_come_to_is_what_they_come_to_once_the_rules_are_set(closed: World, service: Service) -> None:
    mara, database = closed.mara, service.uow.engine
    pairs = "SELECT seller_id, buyer_id, period, wanted FROM pairs ORDER BY 1, 2, 3"
    usage = "SELECT project_number, meter_id, day, resource_id, attribute_set_id, total FROM usage_days ORDER BY 1, 2, 3, 4, 5"
    with database.connect() as connection:
        stood = [connection.execute(text(each)).all() for each in (pairs, usage)]
    found = tried(closed, SEVEN, SHARED)
    with database.connect() as connection:
        assert [connection.execute(text(each)).all() for each in (pairs, usage)] == stood, "nothing of it stays"
    assert mara.ownership_rules.get("tarnwick").rules == []
    quick = mara.ownership_rules.preview("tarnwick", [SEVEN, SHARED])
    assert found.preview is not None and found.preview.moves == quick.moves and not found.preview.more
    billed = {
        each.buyer: each.billed
        for each in mara.billed_months.list("tarnwick", date(2026, 9, 1), ["saltmarsh", "quillstone"])
    }
    september = [each for each in found.links if each.period == "2026-09"]
    assert {each.buyer: each.billed for each in september} == billed
    assert {(each.period, each.buyer) for each in found.links} == {
        ("2026-09", "quillstone"), ("2026-10", "quillstone"), ("2026-09", "oxbow"),
    }  # fmt: skip
    sizes = [abs(each.difference) for each in found.links]
    assert sizes == sorted(sizes, reverse=True) and found.more_links == 0 and not found.too_much
    for each in found.months:
        of = [link.difference for link in found.links if (link.period, link.currency) == (each.period, each.currency)]
        assert (each.difference, each.links) == (add(of), len(of))
    again = check_as_shown(closed, [SEVEN, SHARED])
    assert differences(again) == differences(found)


def test_what_is_divided_by_usage_and_what_goes_back_is_priced_too(closed: World) -> None:
    by_usage = OwnershipRuleForm(
        name="By use",
        by_usage=ByUsageForm(meter="compute/vcpu"),
        starts_on=date(2026, 9, 1),
        conditions={"account": "acc-8", "meter": "network/egress"},
    )
    closed.send(*(reading_of(owner, hours) for owner, hours in (("quillstone/archive", 3), ("saltmarsh/booking", 9))))
    closed.settle()
    check_as_shown(closed, [SEVEN, by_usage])
    back = check_as_shown(closed, [])
    assert all(each.difference < 0 for each in back.links), "all of it is nobody's again"


def reading_of(owner: str, hours: int) -> dict[str, Any]:
    return reading(f"vm-{owner}", owner=owner, start="2026-09-03T00:00:00Z", end=f"2026-09-03T{hours:02d}:00:00Z")


def test_what_holds_until_it_changes_is_priced_with_its_begun_hours(november: World) -> None:
    november.send(
        event("made", "1", "2026-11-03 08:00", "awake", owner=None, account="a-1"),
        event("changed", "2", "2026-11-05 08:20", "parked", owner=None, account="a-1"),
        event("changed", "3", "2026-11-06 09:40", "awake", owner=None, account="a-1"),
    )
    told(november, "2026-11-07 00:30")
    november.settle()
    fourth = rule("Fourth", "quillstone/archive", date(2026, 11, 4), account="a-1")
    [link] = check_as_shown(november, [fourth]).links
    # 25 hours 20 minutes parked; 14 hours 50 minutes awake, each of 15 hours begun.
    assert (link.period, link.difference) == ("2026-11", Decimal("0.25") + Decimal("7.50"))
    [back, forth] = check_as_shown(
        november, [rule("Fourth", "saltmarsh/booking", date(2026, 11, 4), account="a-1")]
    ).links
    assert {back.buyer, forth.buyer} == {"quillstone", "oxbow"}


def test_what_holds_over_several_spans_of_days_is_told_once(november: World) -> None:
    november.send(event("made", "1", "2026-11-04 08:00", "awake", owner=None, account="a-1"))
    told(november, "2026-11-24 08:00")
    november.settle()
    fourth = rule("Fourth", "quillstone/archive", date(2026, 11, 4), account="a-1")
    found = tried(november, fourth).preview
    assert found is not None and found.moves == november.mara.ownership_rules.preview("tarnwick", [fourth]).moves
    assert [each.quantity / 3600 for each in found.moves[0].quantities] == [480]


def test_imported_costs_are_priced_with_what_they_are_sold_for(costs: World) -> None:
    send(costs, row("10"), row("5", 4, "acc-8"), row("7", 5, "acc-9"))
    costs.settle()
    rules = costs.mara.ownership_rules.get("tarnwick").rules
    eight = rule("Eight", "quillstone/archive", account="acc-8")
    found = tried(costs, *rules, eight)
    assert [(each.buyer, each.difference) for each in found.links] == [("quillstone", Decimal("5.60"))]
    check_as_shown(costs, [*rules, eight])


def test_what_would_not_be_priced_is_told(closed: World) -> None:
    nowhere = rule("Seven", "thistledown/records", account="acc-7")
    found = tried(closed, nowhere)
    assert found.links == []
    assert [(each.period, each.buyer, each.meter, each.reason) for each in found.not_priced] == [
        (month, "oxbow", "network/egress", "no subscription") for month in ("2026-09", "2026-10")
    ], "through its reseller"


def test_rules_are_set_as_a_trial_has_shown_them_over_what_came_since(closed: World) -> None:
    """What came since is of the same resources, or it is looked at again."""
    mara = closed.mara
    seen = tried(closed, SEVEN).preview
    assert seen is not None
    closed.send(sent("more", 12, "acc-7", resource="box-1"))
    closed.settle()
    mara.ownership_rules.set("tarnwick", [SEVEN], 0, seen=seen.seen)
    version = put(closed)
    seen = tried(closed, SEVEN).preview
    assert seen is not None
    closed.send(sent("new", 13, "acc-7", resource="box-9"))
    closed.settle()
    with pytest.raises(EditedMeanwhile, match="what came in since you looked"):
        mara.ownership_rules.set("tarnwick", [SEVEN], version, seen=seen.seen)


def test_months_that_lie_far_back_are_looked_at_as_one_look_at_all(closed: World) -> None:
    """A quick look goes three months back; a trial goes on, and counts what goes over a month's end once."""
    closed.mara.clock.set(moment("2027-02-05"), held=True)
    quick = closed.mara.ownership_rules.preview("tarnwick", [SEVEN])
    found = tried(closed, SEVEN).preview
    assert quick.more and quick.moves == [] and found is not None and not found.more
    [move] = found.moves
    assert (move.resources, move.readings, move.first_day, move.last_day) == (
        3, 11, date(2026, 9, 1), date(2026, 9, 30),
    )  # fmt: skip
    assert [each.quantity for each in move.quantities] == [95 * GIB]


def test_too_much_is_told_without_money_and_rules_that_say_the_same_move_nothing(
    closed: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(ownership_trials, "MADE", 3)
    found = tried(closed, SEVEN)
    assert found.too_much and found.links == [] and found.preview is not None and found.preview.moves
    same = tried(closed)
    assert same.preview is not None and same.preview.from_day is None and not same.too_much and not same.links


def test_they_are_for_those_who_may_set_the_rules_and_are_kept_for_a_while(
    closed: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = tried(closed, SEVEN)
    with pytest.raises(Forbidden):
        closed.user("finn").ownership_trials.ask("tarnwick", [SEVEN])
    with pytest.raises(Forbidden):
        closed.user("finn").ownership_trials.get(asked.id)
    with pytest.raises(NotFound):
        closed.user("edda").ownership_trials.get(asked.id)
    with pytest.raises(Invalid) as refused:
        closed.mara.ownership_trials.ask("tarnwick", [rule("Nobody", "nobody/here", account="x")])
    assert refused.value.facts["field"] == "rules[0].owner"
    monkeypatch.setattr(ownership_trials, "MOST", 0)
    with pytest.raises(Conflict, match="are under way"):
        closed.mara.ownership_trials.ask("tarnwick", [SEVEN])
    [listed] = closed.mara.ownership_trials.list("tarnwick")
    assert (listed.id, listed.preview, listed.asked_by) == (asked.id, None, "mara@tarnwick.example")
    closed.mara.clock.set(moment("2026-10-05") + timedelta(days=91), held=True)
    ownership_trials.forget_trials(service.uow, at=moment("2026-10-05") + timedelta(days=91))
    assert closed.mara.ownership_trials.list("tarnwick") == []
    assert owners(closed)["saltmarsh/booking"] == 7 * GIB, "nothing was set"


def test_what_comes_in_while_months_are_priced_is_taken_and_is_not_in_the_way(
    closed: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    price, came = ownership_trials.price_months, []
    late = sent("meanwhile", 14, "acc-7", GIB, resource="box-1")

    def priced(*arguments: Any) -> Any:
        if not came:
            came.append(closed.mara.readings.send("tarnwick/north-fell", [late]))
        return price(*arguments)

    monkeypatch.setattr(ownership_trials, "price_months", priced)
    tried(closed, SEVEN)
    [reply] = came
    assert reply.accepted == 1
    closed.settle()
    found = check_as_shown(closed, [SEVEN])
    assert found.preview is not None and found.preview.moves[0].readings == 12
