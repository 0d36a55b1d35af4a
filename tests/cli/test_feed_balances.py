"""Balances of feeds on the command line."""

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import GIB, World, egress

__all__ = ["profiles", "terminal"]
FEED = "tarnwick/north-fell"


def test_a_month_is_looked_at_signed_off_and_withdrawn(terminal: Terminal, world: World) -> None:
    look = ("feed-balances", "show", "--period", "2026-09", "--wait", "60")
    assert "nothing came in, not signed off" in terminal(*look)
    world.send(egress("a", 30 * GIB, owner="quillstone/archive"), egress("b", 2 * GIB, owner=None, resource="vm-2"))
    told = terminal(*look)
    assert "North Fell (tarnwick/north-fell), 2026-09: open sums, not signed off" in told
    for words in ("2 readings", "came in", "32 GiB", "nobody's", "2 GiB"):
        assert words in told
    assert "not accounted for" not in told
    sign = ("feed-balances", "sign-off", FEED, "--period", "2026-09")
    assert "say why" in terminal(*sign, exit=1)
    assert "signed off by Mara Fell" in terminal(*sign, "--reason", "a fair")
    assert "with open sums: a fair" in terminal(*look, "--feed", FEED)
    assert "is not signed off" in terminal("feed-balances", "withdraw", FEED, "--period", "2026-09")
    assert "the month is not over" in terminal("feed-balances", "show", "--period", "2026-10")
