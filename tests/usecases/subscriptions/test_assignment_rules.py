"""Assignment rules: what is added later falls to the subscription that a dated rule names."""

from datetime import date
from typing import Any

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleSet
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Begin
from tests.world import World, reading

pytestmark = pytest.mark.usefixtures("charged_anew")


@pytest.fixture
def two(world: World, begin: Begin) -> World:
    """Quillstone has Open Range twice, from the same day; machines run in September."""

    def make() -> None:
        world.mara.subscriptions.create(
            SubscriptionCreate(
                organisation="quillstone", plan="open-range", tier="heath", name="Render", starts_on=date(2026, 8, 1)
            )
        )
        for day in (10, 20):
            for resource, size in (("dish-1", "small"), ("dish-2", "large"), ("desk-1", "small")):
                world.send(
                    reading(
                        f"{resource}-{day}",
                        owner="quillstone/archive",
                        resource=resource,
                        start=f"2026-09-{day}T00:00:00Z",
                        end=f"2026-09-{day}T05:00:00Z",
                        attributes={"size": size},
                    )
                )

    begin(make)
    return world


def rule(world: World, slug: str = "r", subscription: str = "Render", **changes: Any) -> None:
    fields: dict[str, Any] = {"subscription": subscription, "starts_on": date(2026, 9, 1), **changes}
    world.mara.assignment_rules.set("quillstone", slug, AssignmentRuleSet(**fields))


def hours(world: World) -> dict[str, dict[str, str]]:
    """Processor hours of September by subscription and rate."""
    (link,) = world.mara.spend.period_so_far("quillstone", "2026-09", wait=60).links
    found: dict[str, dict[str, str]] = {}
    for line in link.lines:
        if line.service == "compute":
            found.setdefault(line.subscription, {})[line.rate] = str(line.quantity)
    return found


ALL = {"Open Range": {"vcpu": "80", "vcpu-large": "40"}}


@pytest.mark.parametrize(
    ("conditions", "expected"),
    [
        ({"where": {"size": "large"}}, {"Open Range": {"vcpu": "80"}, "Render": {"vcpu-large": "40"}}),
        (
            {"resource": {"prefix": "dish"}},
            {"Open Range": {"vcpu": "40"}, "Render": {"vcpu": "40", "vcpu-large": "40"}},
        ),
        (
            {"resource": ["desk-1", "dish-2"]},
            {"Open Range": {"vcpu": "40"}, "Render": {"vcpu": "40", "vcpu-large": "40"}},
        ),
        ({"service": "compute"}, {"Render": {"vcpu": "80", "vcpu-large": "40"}}),
        ({"service": "network"}, ALL),
        (
            {"project": "archive", "where": {"size": "small"}},
            {"Open Range": {"vcpu-large": "40"}, "Render": {"vcpu": "80"}},
        ),
    ],
)
def test_a_rule_takes_what_fulfils_its_conditions(two: World, conditions: dict[str, Any], expected: Any) -> None:
    assert hours(two) == ALL
    rule(two, conditions=conditions)
    assert hours(two) == expected
    two.mara.assignment_rules.delete("quillstone", "r")
    two.mara.assignment_rules.delete("quillstone", "r")
    assert hours(two) == ALL


def test_a_rule_is_dated_and_the_lower_position_goes_first(two: World) -> None:
    rule(two, starts_on=date(2026, 9, 15), conditions={"service": "compute"})
    assert hours(two) == {
        "Open Range": {"vcpu": "40", "vcpu-large": "20"},
        "Render": {"vcpu": "40", "vcpu-large": "20"},
    }
    rule(two, "first", "Open Range", position=1, conditions={"where": {"size": "large"}})
    assert hours(two) == {"Open Range": {"vcpu": "40", "vcpu-large": "40"}, "Render": {"vcpu": "40"}}
    rule(two, conditions={"service": "compute"}, ends_on=date(2026, 9, 12))
    assert hours(two)["Render"] == {"vcpu": "40"}
    assert [each.slug for each in two.mara.assignment_rules.list("quillstone")] == ["first", "r"]


def test_a_rule_made_after_billing_is_settled_on_the_next_document(two: World) -> None:
    before = next(each for each in two.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    rule(two, conditions={"where": {"size": "large"}})
    after = next(each for each in two.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    moved = {(line.subscription, line.rate): str(line.amount) for line in after.lines}
    assert moved == {("Open Range", "vcpu-large"): "-0.68", ("Render", "vcpu-large"): "0.68"}
    assert before.net > 0
    assert after.net == 0


def test_a_wrong_rule_is_refused(two: World) -> None:
    for changes, words in (
        ({"conditions": {}}, "at least one of service"),
        ({"conditions": {"colour": "red"}}, "not a field"),
        ({"conditions": {"service": "nothing"}}, "not known"),
        ({"conditions": {"service": "compute"}, "position": -1}, "between 0 and"),
        ({"conditions": {"service": "compute"}, "ends_on": date(2026, 9, 1)}, "after starts_on"),
        ({"conditions": {"where": {"size": {"like": "x"}}}}, "write a value"),
    ):
        with pytest.raises(Invalid, match=words):
            rule(two, **changes)
    with pytest.raises(NotFound):
        rule(two, subscription="Nothing", conditions={"service": "compute"})
    with pytest.raises(NotFound):
        rule(two, conditions={"project": "attic"})
    with pytest.raises(Forbidden):
        two.user("una").assignment_rules.delete("quillstone", "r")
