"""A month's usage is made again from what came in, on demand: what went wrong with it is right, the rest is the same."""

import pytest
from sqlalchemy import Engine, text

from gradumen.core.errors import Forbidden, NotFound
from tests.conftest import Service
from tests.usecases.metering.test_held import NOVEMBER, event, hours, november, told
from tests.world import World, egress, reading

__all__ = ["november"]
SEPTEMBER = "2026-09"


def used(world: World) -> dict[tuple[str, str, str], object]:
    found = world.mara.usage.sum("tarnwick", SEPTEMBER, by=("project", "resource"), wait=60)
    return {(each.meter, *each.keys.values()): each.quantity for each in found.items}


def remake(world: World, organisation: str, user: str = "mara", period: str = SEPTEMBER) -> None:
    client = world.user(user)
    task = client.tasks.follow(client.usage_remakes.start(organisation, period).id, seconds=60)
    assert task.state == "done", task.problem
    world.settle()


def test_usage_that_went_wrong_is_right_again(world: World, owner: Engine) -> None:
    world.send(
        reading("a"),
        reading("late", start="2026-09-30T20:00:00Z", end="2026-10-01T02:00:00Z"),
        egress("b", 10**9),
        egress("c", 5, owner="quillstone/archive", resource="vm-q"),
    )
    before = used(world)
    owed = world.user("edda").spend.period_so_far("oxbow", SEPTEMBER, wait=60).links
    with owner.begin() as connection:
        connection.execute(text("UPDATE usage_days SET total = total + 1 WHERE day = '2026-09-10'"))
        connection.execute(text("DELETE FROM usage_days WHERE day IN ('2026-09-30', '2026-10-01')"))
    assert used(world) != before
    remake(world, "saltmarsh", "edda")
    mended = {key: each for key, each in used(world).items() if key[1].startswith("saltmarsh")}
    assert mended == {key: each for key, each in before.items() if key[1].startswith("saltmarsh")}
    remake(world, "tarnwick")
    assert used(world) == before
    assert world.user("edda").spend.period_so_far("oxbow", SEPTEMBER, wait=60).links == owed


def test_what_holds_is_made_again_with_its_spells(november: World, owner: Engine) -> None:
    november.send(event("made", "1", "2026-11-03 08:00", "awake"), event("gone", "2", "2026-11-07 09:30"))
    told(november, "2026-11-08 00:00")
    spells = november.mara.spells.list("quillstone", NOVEMBER).items
    with owner.begin() as connection:
        connection.execute(text("DELETE FROM spells"))
        connection.execute(text("DELETE FROM usage_days WHERE day > '2026-11-04'"))
    remake(november, "quillstone", period=NOVEMBER)
    assert hours(november) == {"awake": 97.5}
    assert november.mara.spells.list("quillstone", NOVEMBER).items == spells


def test_it_is_for_who_manages_the_feeds_and_one_at_a_time(world: World, service: Service) -> None:
    with pytest.raises(Forbidden):
        world.user("finn").usage_remakes.start("saltmarsh", SEPTEMBER)
    with pytest.raises(NotFound):
        world.user("edda").usage_remakes.start("quillstone", SEPTEMBER)
    first = world.mara.usage_remakes.start("tarnwick", SEPTEMBER)
    second = world.mara.usage_remakes.start("tarnwick", SEPTEMBER)
    assert first.id == second.id or world.mara.tasks.get(first.id).state == "done"
    assert [each.action for each in world.mara.audit_entries.list("tarnwick")][:1] == ["usage made again"]
