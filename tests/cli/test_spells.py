"""What happened to resources, usage made again, and a close that lacks something, on the command line."""

import json
from pathlib import Path

from gradumen.client.metering.readings import told_event
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.usecases.metering.test_held import COMPUTE, SOURCE, event, listing
from tests.world import World, egress, files, moment, reading

__all__ = ["profiles", "terminal"]
SEPTEMBER = ("--period", "2026-09")


def test_events_come_in_from_a_file_and_are_seen(terminal: Terminal, world: World, tmp_path: Path) -> None:
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    shown = ("spells", "list", *SEPTEMBER, "-o", "quillstone", "--wait", "60")
    assert "nothing was there in 2026-09" in terminal(*shown)
    path = tmp_path / "events.jsonl"
    events = [
        event("made", "1", "2026-09-03 08:20", "awake"),
        listing("l-1", "2026-09-04 00:00", "vm-1 parked", "vm-2 awake"),
        listing("l-2", "2026-09-05 00:00", "vm-1 parked", "vm-2 awake"),
        listing("l-3", "2026-09-06 00:00", "vm-1 parked"),
        told_event(SOURCE, "t", moment("2026-09-07")),
    ]
    path.write_text("\n".join(map(json.dumps, events)))
    assert "5 accepted" in terminal("readings", "send", str(path), "--feed", "tarnwick/north-fell")
    told = " ".join(terminal(*shown).split())
    assert "2026-09-07 00:00, goes on" in told and "2026-09-05 00:00, not listed after" in told
    own = " ".join(terminal(*shown, "--resource", "vm-2").split())
    assert "tarnwick/north-fell l-1/1" in own and "vm-1" not in own
    assert "vm-2" not in terminal(*shown, "--limit", "1")
    assert "24 piece-hours" in " ".join(
        terminal("usage", "show", *SEPTEMBER, "--resource", "vm-2", "-o", "quillstone").split()
    )
    assert "it is being made again" in terminal("usage", "remake", *SEPTEMBER, "-o", "quillstone")

    refused = terminal("bill-runs", "start", *SEPTEMBER, exit=1)
    assert "all is here until 2026-09-07 00:00 UTC" in refused and "give a reason" in refused
    terminal("bill-runs", "start", *SEPTEMBER, "--reason", "cut off")
    assert world.mara.bill_runs.list("tarnwick")[0].reason == "cut off"


def test_the_hours_of_a_resource_are_listed(terminal: Terminal, world: World) -> None:
    world.send(reading("a", start="2026-09-10T22:30:00Z", end="2026-09-11T00:00:00Z"), egress("b", 2**30))
    shown = ("loads", "list", "vm-1", "--from", "2026-09-10", "--until", "2026-09-12", "--wait", "60")
    told = " ".join(terminal(*shown).split())
    assert "compute/vcpu 2026-09-10 22:00 2 vCPU compute/vcpu 2026-09-10 23:00 4 vCPU" in told
    assert "Compute: Processors: 3 vCPU on average, 4 vCPU at most in an hour" in told and "network/egress" in told
    assert "network/egress" not in terminal(*shown, "--meter", "compute/vcpu")
    assert "nothing was used of vm-9 from 2026-09-10 up to 2026-09-12" in terminal("loads", "list", "vm-9", *shown[3:])
