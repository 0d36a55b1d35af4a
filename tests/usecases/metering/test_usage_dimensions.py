"""Usage told apart by feed and by attributes: the parts are the whole, at the edges of a month too."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid
from gradumen.demo.clouds import SimulatedCloud
from gradumen.store.metering import usage
from gradumen.wire.metering.usage import UsageBody
from tests.usecases.organisations.test_clouds import registered
from tests.world import World, egress, reading

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


def test_however_many_projects_are_asked_for_at_once_it_is_the_same(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The days in which a month begins and ends are read by lists of projects and meters."""
    owners = ("saltmarsh/harbour", "saltmarsh/booking", "quillstone/archive", "thistledown/records")
    world.send(
        *(reading(f"r-{owner}", owner=owner, resource=f"vm-{owner}", **LONG) for owner in owners),
        *(egress(f"e-{owner}", 24 * 10**6, owner=owner, resource=f"vm-{owner}", **LONG) for owner in owners),
    )

    def asked() -> list[list[UsageBody]]:
        return [
            world.user(user).usage.sum(seller, "2026-09", by=by, project=project, wait=60).items
            for user, seller in (("mara", "tarnwick"), ("edda", "oxbow"), ("una", "quillstone"))
            for by in (("project",), ("day", "resource"))
            for project in (None, "archive")
        ]

    whole = asked()
    assert len(whole[0]) == 2 * len(owners)
    for listed, ranges in ((1, 16_000), (3, 16_000), (900, 1), (900, 50)):
        monkeypatch.setattr(usage, "LISTED", listed)
        monkeypatch.setattr(usage, "_RANGES", ranges)
        assert asked() == whole


def test_usage_is_told_apart_by_cloud_and_region(world: World, cloud_server: SimulatedCloud) -> None:
    mara = world.mara
    mara.feeds.create("tarnwick", slug="second", name="Second")
    mara.cloud_feeds.set(registered(world, cloud_server).id, "tarnwick/north-fell")
    world.send(reading("a"), reading("b", resource="vm-2", attributes={"component_of": "vm-1"}))
    world.send(reading("c", resource="vm-3"), feed="tarnwick/second")
    of_one = Decimal(6 * 4 * 3600)
    assert found(world, "cloud") == {("North Fell",): 2 * of_one, ("",): of_one}
    both = found(world, "cloud", "feed")
    assert both == {("North Fell", "North Fell"): 2 * of_one, ("", "Second"): of_one}
    assert found(world, "cloud", user="ines", organisation="saltmarsh") == found(world, "cloud")
    assert found(world, "attribute:component_of") == {("vm-1",): of_one, ("",): 2 * of_one}
    assert found(world, "region") == {("",): 3 * of_one}
    own = {item.keys["cloud"] for item in world.user("edda").usage.sum("oxbow", "2026-09", by=("cloud",)).items}
    assert own == {"tarnwick/north-fell", ""}


@pytest.mark.parametrize("by", ["colour", "attributes", "attribute"])
def test_another_dimension_is_refused_with_those_there_are(world: World, by: str) -> None:
    with pytest.raises(Invalid, match="attribute:NAME"):
        world.mara.usage.sum("tarnwick", "2026-09", by=[by])
