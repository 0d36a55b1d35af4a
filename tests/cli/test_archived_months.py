"""The command line of archived months."""

import json
import re

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import World, egress, moment

__all__ = ["profiles", "terminal"]


def test_months_are_archived_and_brought_back(terminal: Terminal, world: World) -> None:
    world.send(egress("a", 5), egress("b", 6, start="2026-09-11T00:00:00Z", end="2026-09-11T06:00:00Z"))
    assert "is too late" in terminal("archived-months", "set", "--before", "2026-10", exit=1)
    world.mara.clock.set(moment("2027-01-02"), held=True)
    text = terminal("archived-months", "set", "--before", "2026-10")
    [line] = [each for each in text.splitlines() if each.startswith("2026-09")]
    assert re.match(r"2026-09 +2 +[\d.]+ KiB", line)
    assert "what was measured before 2026-10 is archived, and its usage fixed" in text
    assert "archive readings before 20" in terminal("tasks", "list", "--state", "done")
    found = json.loads(terminal("archived-months", "list", "--json"))
    assert (found["before"], found["latest"]) == ("2026-10", "2026-10")
    assert "no readings are archived" in terminal("archived-months", "set", "--none")
