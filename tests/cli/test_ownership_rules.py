"""Rules of ownership on the command line."""

from pathlib import Path

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import GIB, World, egress

__all__ = ["profiles", "terminal"]


def test_a_line_of_two_is_divided(terminal: Terminal, world: World, tmp_path: Path) -> None:
    world.send(egress("a", 4 * GIB, owner=None, account="acc-9", resource="uplink"))
    add = ("ownership-rules", "add", "Line", "--from", "2026-09-01", "--resource", "uplink")
    assert "no share" in terminal(*add, "--share", "saltmarsh/booking", exit=1)
    shares = ("--share", "saltmarsh/booking=3", "--share", "quillstone/archive=1")
    told = terminal(*add, *shares, "--check")
    assert "saltmarsh/booking (3), quillstone/archive (1)" in told and "4 GiB" in told
    assert "saltmarsh/booking (3), quillstone/archive (1)" in terminal(*add, *shares)
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    used = terminal("usage", "show", "--period", "2026-09", "--by", "project", "--wait", "60")
    assert "3 GiB" in " ".join(used.split()) and "1 GiB" in " ".join(used.split())
    rules = tmp_path / "rules.yaml"
    rules.write_text(
        "- {name: Line, shares: {saltmarsh/booking: 1, quillstone/archive: 1}, starts-on: 2026-09-01, "
        "conditions: {resource: uplink}}\n"
    )
    assert "saltmarsh/booking (1), quillstone/archive (1)" in terminal("ownership-rules", "apply", str(rules))
