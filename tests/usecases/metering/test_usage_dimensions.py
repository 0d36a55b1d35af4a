"""Usage told apart by feed and by attributes: the parts are the whole, at the edges of a month too."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid
from tests.world import World, reading

LONG = {"start": "2026-08-31T20:00:00Z", "end": "2026-09-01T20:00:00Z"}


def found(world: World, *by: str, user: str = "mara", organisation: str = "tarnwick") -> dict[tuple[str, ...], Decimal]:
    items = world.user(user).usage.sum(organisation, "2026-09", by=by, meter="compute/vcpu", wait=60).items
    return {tuple(each.names[name] for name in by): each.quantity for each in items}


def test_usage_is_told_apart_by_feed_and_attribute(world: World) -> None:
    world.mara.feeds.create("tarnwick", slug="second", name="Second")
    world.send(
        reading("a", attributes={"size": "large"}, **LONG),
        reading("b", attributes={"size": "small"}, resource="vm-2", owner="quillstone/archive"),
        reading("c", attributes={}, resource="vm-3"),
    )
    world.send(reading("d", attributes={"size": "large"}, resource="vm-4"), feed="tarnwick/second")
    # September begins at 23:00 UTC on 31 August by Dublin's clocks.
    hours = {name: Decimal(count * 4 * 3600) for name, count in (("a", 21), ("b", 6), ("c", 6), ("d", 6))}
    sizes = found(world, "attribute:size")
    assert sizes == {("large",): hours["a"] + hours["d"], ("small",): hours["b"], ("",): hours["c"]}
    feeds = found(world, "feed")
    assert feeds == {("North Fell",): hours["a"] + hours["b"] + hours["c"], ("Second",): hours["d"]}
    both = found(world, "attribute:size", "feed")
    assert both["large", "North Fell"] == hours["a"] and both["large", "Second"] == hours["d"]
    by_day = found(world, "day", "attribute:size")
    assert sum(by_day.values()) == sum(hours.values()) == sum(both.values())
    # A customer sees its own alone.
    assert found(world, "attribute:size", user="una", organisation="quillstone") == {("small",): hours["b"]}
    assert found(world, "attribute:colour") == {("",): sum(hours.values())}


@pytest.mark.parametrize("by", ["colour", "attributes", "attribute"])
def test_another_dimension_is_refused_with_those_there_are(world: World, by: str) -> None:
    with pytest.raises(Invalid, match="attribute:NAME"):
        world.mara.usage.sum("tarnwick", "2026-09", by=[by])
