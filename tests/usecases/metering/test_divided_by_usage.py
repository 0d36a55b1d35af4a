"""What several share is divided by what each used on the day: once that is over, whatever comes when."""

import random
from collections import defaultdict
from collections.abc import Iterable, Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

import pytest

from gradumen.core.errors import Invalid
from gradumen.core.exact import allocate
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm
from tests.conftest import Begin, Service, settle
from tests.usecases.metering.test_imported_costs import FEED, costs, row, send
from tests.world import World, egress, reading
from tests.worlds.balance import unbalanced
from tests.worlds.stored import differing_pairs

__all__ = ["costs"]
QUILLSTONE, BOOKING, HARBOUR = "quillstone/archive", "saltmarsh/booking", "saltmarsh/harbour"
OCTOBER = datetime(2026, 10, 4, 9, tzinfo=UTC)


@pytest.fixture
def october(world: World, begin: Begin) -> World:
    """September is over."""

    def make() -> None:
        world.mara.clock.set(OCTOBER, held=True)

    begin(make)
    return world


def rule(how: Mapping[str, Any], meter: str | list[str] = "network/egress", **more: Any) -> OwnershipRuleForm:
    return OwnershipRuleForm(
        name=f"{meter} by {how['meter']}", by_usage=ByUsageForm(**how), starts_on=date(2026, 9, 1),
        conditions={"meter": meter, "account": "acc-9"}, **more,
    )  # fmt: skip


BY_CPU = {"meter": "compute/vcpu"}


def put(world: World, *rules: OwnershipRuleForm) -> None:
    """Set the rules, and wait until what they reach is made again."""
    mara = world.mara
    mara.ownership_rules.set("tarnwick", rules, mara.ownership_rules.get("tarnwick").version)
    for task in mara.tasks.list("tarnwick"):
        assert mara.tasks.follow(task.id, seconds=60).state == "done"
    world.settle()


def at(day: int, first: int = 0, last: int = 6) -> dict[str, str]:
    return {"start": f"2026-09-{day:02d}T{first:02d}:00:00Z", "end": f"2026-09-{day:02d}T{last:02d}:00:00Z"}


def shared(identity: str, day: int, quantity: int = 1_000_003) -> dict[str, Any]:
    return egress(identity, quantity, owner=None, account="acc-9", resource="uplink", **at(day))


def cpus(identity: str, owner: str, day: int, level: str, **more: Any) -> dict[str, Any]:
    return reading(identity, owner=owner, resource=f"vm-{owner}", quantity=level, **{**at(day), **more})


def by_day(world: World, meter: str = "network/egress") -> dict[str, dict[int, Decimal]]:
    """What each has of a meter, by day of September."""
    world.settle()
    found: dict[str, dict[int, Decimal]] = defaultdict(dict)
    for each in world.mara.usage.sum("tarnwick", "2026-09", by=("project", "day"), meter=meter, wait=60).items:
        found[each.keys["project"]][int(each.keys["day"][-2:])] = each.quantity
    return found


def billed(world: World) -> dict[str | None, Decimal]:
    """What suppliers billed in September, by whose it is."""
    found: dict[str | None, Decimal] = defaultdict(Decimal)
    for each in world.mara.imported_costs.list("tarnwick", "2026-09"):
        found[each.owner] += each.billed
    return found


def nobodys(world: World) -> tuple[list[int], list[str]]:
    """How many readings are listed as nobody's, and what the to-dos say of it."""
    found = world.mara.ownership_rules.unowned("tarnwick", "2026-09").items
    to_dos = [each.title for each in world.mara.to_dos.list("tarnwick") if each.kind == "unowned"]
    return [each.readings for each in found], to_dos


def right(service: Service) -> bool:
    """Whether what is kept is what is made of everything anew, and nothing is lost or twice."""
    settle(service.uow.engine)
    assert (differing_pairs(service.uow), unbalanced(service.uow)) == ({}, {})
    return True


def test_each_day_is_divided_by_what_each_used_on_it_and_again_when_that_changes(
    october: World, service: Service
) -> None:
    world = october
    world.send(*(shared(f"up-{day}", day) for day in (8, 9, 10)))
    world.send(cpus("q8", QUILLSTONE, 8, "3"), cpus("b8", BOOKING, 8, "1"), cpus("b9", BOOKING, 9, "2"))
    put(world, rule(BY_CPU, remainder=HARBOUR))
    found = by_day(world)
    # Six hours, each split to the millionth.
    assert found[QUILLSTONE].keys() == {8} and abs(found[QUILLSTONE][8] - Decimal("750002.25")) <= Decimal("0.000006")
    assert found[QUILLSTONE][8] + found[BOOKING][8] == 1_000_003
    assert found[BOOKING][9] == 1_000_003, "who used it alone has all of it"
    assert found[HARBOUR] == {10: 1_000_003}, "on a day on which nobody used any"

    world.send(cpus("q9", QUILLSTONE, 9, "2"), cpus("q10", QUILLSTONE, 10, "1"))
    found = by_day(world)
    assert abs(found[QUILLSTONE][9] - Decimal("500001.5")) <= Decimal("0.000006")
    assert (found[QUILLSTONE][10], found[HARBOUR]) == (1_000_003, {})
    world.mara.deliveries.take_back(world.mara.feeds.deliveries("tarnwick/north-fell")[0].id)
    assert by_day(world)[HARBOUR] == {10: 1_000_003} and right(service)
    [item] = world.mara.feed_balances.get("tarnwick", "2026-09", wait=60).items
    assert {each.meter: each.difference for each in item.meters} == {"compute/vcpu": 0, "network/egress": 0}

    put(world)
    assert by_day(world) == {}, "nobody's again"
    world.send(cpus("more", QUILLSTONE, 8, "1"))
    assert by_day(world) == {}


def test_what_is_left_of_a_whole_is_the_remainders_and_only_named_projects_and_feeds_count(
    october: World, service: Service
) -> None:
    world = october
    world.mara.feeds.create("tarnwick", slug="south", name="South Fell")
    world.send(shared("up", 8, 2400), shared("over", 9, 2400))
    whole_day = {"start": "2026-09-08T00:00:00Z", "end": "2026-09-09T00:00:00Z"}
    world.send(cpus("q", QUILLSTONE, 8, "6", **whole_day), cpus("b", BOOKING, 8, "30", **whole_day))
    world.send(cpus("much", QUILLSTONE, 9, "99", start=whole_day["end"], end="2026-09-10T00:00:00Z"))
    by = {**BY_CPU, "among": [QUILLSTONE], "whole": "24", "feeds": ["tarnwick/north-fell"]}
    put(world, rule(by, remainder=HARBOUR))
    assert by_day(world) == {QUILLSTONE: {8: 600, 9: 2400}, HARBOUR: {8: 1800}}
    [told] = world.mara.ownership_rules.get("tarnwick").rules
    assert told.by_usage == ByUsageForm.model_validate(by) and (told.remainder, told.owner) == (HARBOUR, None)
    assert by_day(world, "compute/vcpu")[BOOKING], "what it is divided by stays whose it was"
    put(world, rule({**BY_CPU, "feeds": ["tarnwick/south"]}))
    assert by_day(world) == {}, "nothing was measured there, and nobody has the rest"
    assert nobodys(world) == ([2], ["Usage of 1 resource is nobody's"])
    settle(service.uow.engine)
    assert unbalanced(service.uow) == {}


def test_shares_of_a_hundred_leave_the_rest_to_somebody(october: World, service: Service) -> None:
    october.send(shared("up", 8, 6000))
    shares = {QUILLSTONE: Decimal(30), BOOKING: Decimal("12.5")}
    wanted = OwnershipRuleForm(name="parts", shares=shares, remainder=HARBOUR, starts_on=date(2026, 9, 1),
                               conditions={"account": "acc-9"})  # fmt: skip
    [move] = october.mara.ownership_rules.preview("tarnwick", [wanted]).moves
    assert move.after == f"{QUILLSTONE} (30), {BOOKING} (12.5), the rest {HARBOUR}"
    put(october, wanted)
    assert by_day(october) == {QUILLSTONE: {8: 1800}, BOOKING: {8: 750}, HARBOUR: {8: 3450}}
    [told] = october.mara.ownership_rules.get("tarnwick").rules
    assert (told.shares, told.remainder) == (shares, HARBOUR) and right(service)


def test_a_day_is_divided_once_it_is_over_usage_and_costs(costs: World, service: Service) -> None:
    world = costs
    world.mara.clock.set(datetime(2026, 9, 8, 20, tzinfo=UTC), held=True)
    put(world, rule(BY_CPU, ["network/egress", "cumulant/cost"], remainder=HARBOUR))
    world.send(shared("up", 8), shared("before", 7), cpus("q", QUILLSTONE, 8, "3"), cpus("b", BOOKING, 8, "1"))
    send(world, row("10", 8, "acc-9"), row("-0.01", 8, "acc-9", ChargeCategory="Credit"), at="2026-09-08 12:00")
    assert by_day(world) == {HARBOUR: {7: 1_000_003}}
    assert billed(world) == {None: Decimal("9.99")}
    assert nobodys(world) == ([], []), "what is divided tomorrow is nobody's work"
    world.mara.clock.set(OCTOBER, held=True)
    assert set(by_day(world)) == {QUILLSTONE, BOOKING, HARBOUR}
    assert billed(world) == {QUILLSTONE: Decimal("7.4925"), BOOKING: Decimal("2.4975")}
    world.send(cpus("late", BOOKING, 8, "3", **at(8, 6, 8)))
    world.settle()
    assert billed(world) == {QUILLSTONE: Decimal("5.994"), BOOKING: Decimal("3.996")}, "18 to 12 processor hours"
    [item] = world.mara.feed_balances.get("tarnwick", "2026-09", feed=FEED, wait=60).items
    assert item.costs[0].difference == 0 and item.meters[0].difference == 0
    settle(service.uow.engine)
    assert unbalanced(service.uow) == {}


def parts(quantities: Iterable[int], weights: list[int]) -> list[Decimal]:
    """Quantities of hours in millionths, each divided; summed by whose they are."""
    hours = [allocate(each, weights) for each in quantities]
    return [Decimal(sum(each)) / 10**6 for each in zip(*hours, strict=True)]


@pytest.mark.parametrize("seed", [3, 8])
def test_whatever_comes_when_the_parts_are_the_same(october: World, service: Service, seed: int) -> None:
    """Readings of what is divided and of what it is divided by, late and replaced, with rules set in between."""
    chance, world = random.Random(seed), october
    projects = [QUILLSTONE, BOOKING, HARBOUR]
    levels = {(project, day): chance.randint(0, 9) for project in projects for day in range(8, 12)}
    sent = [cpus(f"{project}{day}", project, day, str(level)) for (project, day), level in levels.items()]
    sent += [shared(f"up-{day}", day, quantity := chance.randint(1, 10**7)) for day in range(8, 12)]
    quantities = {each["id"]: int(each["data"]["quantity"]) for each in sent if str(each["id"]).startswith("up")}
    chance.shuffle(sent)
    steps: list[Any] = [sent[:5], [rule({**BY_CPU, "among": [HARBOUR]})], sent[5:9], [rule(BY_CPU)], sent[9:]]
    for step in steps:
        if isinstance(step[0], OwnershipRuleForm):
            put(world, *step)
        else:
            world.send(*step)
        if chance.random() < 0.5:
            world.settle()
    expected: dict[str, dict[int, Decimal]] = defaultdict(dict)
    for day in range(8, 12):
        used = [(project, levels[project, day]) for project in projects if levels[project, day]]
        hours = allocate(quantities[f"up-{day}"] * 10**6, [3600] * 6)
        numbers = numbers_of(service)
        used.sort(key=lambda each: numbers[each[0]])
        for (project, _), part in zip(used, parts(hours, [level for _, level in used]), strict=True):
            expected[project][day] = part
    assert by_day(world) == expected and right(service)
    assert quantity


def test_sellers_who_divide_each_by_what_the_other_divides_come_to_an_end(october: World, service: Service) -> None:
    world, edda = october, october.user("edda")
    edda.feeds.create("oxbow", slug="own", name="Own")
    whole = {"owner": None, "account": "acc-9", "resource": "shared"}
    world.send(shared("up", 8), cpus("b", BOOKING, 8, "1"), cpus("h", HARBOUR, 8, "3"))
    world.clients["edda"].readings.send("oxbow/own", [reading("cpu", quantity="4", **{**whole, **at(8)})])
    put(world, rule(BY_CPU))
    other = rule({"meter": "network/egress"}, "compute/vcpu")
    edda.ownership_rules.set("oxbow", [other], edda.ownership_rules.get("oxbow").version)
    for task in edda.tasks.list("oxbow"):
        assert edda.tasks.follow(task.id, seconds=60).state == "done"
    found = by_day(world)
    assert found[BOOKING][8] + found[HARBOUR][8] == 1_000_003, "by what the provider's own feed measured too"
    # The reseller's four processors for six hours, by the egress that came of the provider's rule.
    assert sum(each.get(8, 0) for each in by_day(world, "compute/vcpu").values()) == (1 + 3 + 4) * 6 * 3600
    world.send(cpus("late", BOOKING, 8, "2", **at(8, 6, 8)))
    assert sum(each[8] for each in by_day(world).values()) == 1_000_003


def numbers_of(service: Service) -> dict[str, int]:
    """The numbers of projects, in whose order what cannot be split evenly goes."""
    with service.uow.engine.connect() as connection:
        rows = connection.exec_driver_sql(
            "SELECT CONCAT(o.slug, '/', p.slug), p.number FROM projects p JOIN organisations o "
            "ON o.id = p.organisation_id"
        )
        return dict(rows.all())  # type: ignore[arg-type]  # of two columns


@pytest.mark.parametrize(
    ("wanted", "field", "said"),
    [
        ([rule({"meter": "compute/gpu"})], "by_usage.meter", "not known"),
        ([rule({"meter": "cumulant/cost"})], "by_usage.meter", "counts money"),
        ([rule({"meter": "network/egress"})], "by_usage.meter", "divided by itself"),
        ([rule(BY_CPU), rule({"meter": "network/egress"}, "compute/vcpu")], "by_usage.meter", "network/egress again|vcpu"),
        ([rule({**BY_CPU, "whole": "9"})], "by_usage.whole", "name a remainder"),
        ([rule({**BY_CPU, "whole": "0"}, remainder=HARBOUR)], "by_usage.whole", "above 0"),
        ([rule({**BY_CPU, "whole": "9", "unit": "GiB"}, remainder=HARBOUR)], "by_usage.unit", "GiB"),
        ([rule({**BY_CPU, "feeds": ["oxbow/own"]})], "by_usage.feeds", "no feed of Tarnwick"),
        ([rule({**BY_CPU, "among": ["nowhere/at"]})], "by_usage.among.nowhere/at", "no project of"),
        ([rule(BY_CPU, "compute/gpu")], "conditions.meter", "not known"),
        ([rule(BY_CPU, remainder="nowhere/at")], "remainder", "no project of"),
        ([rule(BY_CPU).model_copy(update={"conditions": {"account": "a"}})], "conditions.meter", "name the meters"),
        ([rule(BY_CPU, owner=HARBOUR)], "owner", "one owner, or"),
        ([rule(BY_CPU, by="account")], "owner", "one owner, or"),
    ],
)  # fmt: skip
def test_what_cannot_be_divided_so_is_refused_at_its_field(
    costs: World, wanted: list[OwnershipRuleForm], field: str, said: str
) -> None:
    with pytest.raises(Invalid, match=said) as refused:
        costs.mara.ownership_rules.set("tarnwick", wanted, costs.mara.ownership_rules.get("tarnwick").version)
    assert str(refused.value.facts["field"]).partition(".")[2] == field
