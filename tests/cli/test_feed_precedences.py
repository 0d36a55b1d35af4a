"""Feeds that give way on the command line."""

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import World, reading

__all__ = ["profiles", "terminal"]


def test_a_feed_gives_way_and_is_compared(terminal: Terminal, world: World) -> None:
    assert "no feed gives way" in terminal("feed-precedences", "list")
    world.mara.feeds.create("tarnwick", slug="probe", name="Probe")
    give = ("feed-precedences", "set", "tarnwick/probe", "tarnwick/north-fell")
    assert "2026-09-01" in terminal(*give, "--from", "2026-09-01")
    assert "2026-09-01" in terminal(*give), "the day stays as it was"
    assert "tarnwick/north-fell" in terminal("feed-precedences", "list")
    compare = ("feed-precedences", "compare", "tarnwick/probe", "--period", "2026-09", "--wait", "60")
    assert "gave way nowhere" in terminal(*compare)
    world.send(reading("a"))
    world.send(reading("b"), feed="tarnwick/probe")
    assert "1 resources measured by both, 0 differ" in terminal(*compare)
    world.send(reading("c", quantity="5", resource="vm-2"))
    world.send(reading("d", resource="vm-2"), feed="tarnwick/probe")
    told = terminal(*compare, exit=1)
    assert "2 resources measured by both, 1 differ" in told and "-6 vCPU-hours" in told
    assert "counted by a feed to which it gives way" in terminal(
        "feed-balances", "show", "--feed", "tarnwick/probe", "--period", "2026-09", "--wait", "60"
    )
    assert "archived" not in terminal("feed-precedences", "list")
    task = world.mara.archived_months.set("2026-07").task
    assert task is not None and world.mara.tasks.follow(task, seconds=60).state == "done"
    assert "before 2026-07-01 is archived, and counts as it did" in terminal(*give, "--from", "2026-06-15")
    assert "archived" not in terminal(*give, "--from", "2026-07-01")
    assert "gives way to no feed" in terminal("feed-precedences", "set", "tarnwick/probe")
    assert "no other feed" in terminal("feed-precedences", "set", "tarnwick/probe", "oxbow/none", exit=1)
