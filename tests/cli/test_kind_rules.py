"""Kinds on the command line: what is unknown, rules that are looked at and set, and one reading that is tried."""

import shlex
from pathlib import Path

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import World, reading

__all__ = ["profiles", "terminal"]


def test_what_is_unknown_is_listed_read_by_a_rule_and_tried(terminal: Terminal, world: World, tmp_path: Path) -> None:
    sent = reading("a", meter="vm-hours", unit="cores", attributes={"flavour": "large", "cards": "2"})
    assert world.mara.readings.send("tarnwick/north-fell", [sent]).accepted == 1
    told = " ".join(terminal("kind-rules", "unknown", "2026-09").split())
    assert "vm-hours 4 cores 1 1 2026-09-10" in told
    assert "no rule says what meter 'vm-hours' is; sent with cards 2; flavour large" in told
    assert "1 reading of unknown kind" in terminal(
        "feed-balances", "show", "--period", "2026-09", "--wait", "60", exit=0
    )
    assert "no rules: what is sent is the meter that it names" in terminal("kind-rules", "list")

    add = ("kind-rules", "add", "Cores", "compute/vcpu", "--from", "2026-09-01", "--meter", "vm-*")
    assert "no equals sign" in terminal(*add, "--take", "size", exit=1)
    assert "still" not in terminal(*add, "--check") and "unknown: unit 'cores' is not known" in terminal(
        *add, "--check"
    )
    fit = (*add, "--as", "vCPU", "--take", "size=flavour", "--times", "cards")
    told = terminal(*fit, "--check")
    assert "1 reading of 1 resource, sent as vm-hours in cores" in told
    assert "unknown -> compute/vcpu with size large, 48 vCPU-hours" in told
    assert "compute/vcpu with size as flavour says, in v" in terminal(*fit)
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    assert "all that came in is of a known kind" in terminal("kind-rules", "unknown", "2026-09")
    used = terminal("usage", "show", "--period", "2026-09", "--wait", "60")
    assert "48 vCPU-hours" in " ".join(used.split())

    trying = ("kind-rules", "try", "--feed", "north-fell", "--resource", "x", "--meter", "vm-days", "--unit", "cores")
    told = terminal(*trying, "--on", "2026-09-02", "--with", "flavour=small", "--with", "cards=3")
    assert "compute/vcpu with size small: 3 vCPU" in told and "rule 'Cores' (1 condition) counts" in told
    assert "unknown: no rule says what meter 'vm-days' is" in terminal(*trying, "--on", "2026-08-31")

    assert "no rule is called 'Nothing'; there are: Cores" in terminal("kind-rules", "drop", "Nothing", exit=1)
    assert "compute/vcpu -> unknown: no rule says" in terminal("kind-rules", "drop", "Cores", "--check")
    rules = tmp_path / "kinds.yaml"
    rules.write_text(
        "- {name: Out, meter: network/egress, unit: byte, starts-on: 2026-09-01, conditions: {unit: cores}}\n"
    )
    told = terminal("kind-rules", "apply", str(rules))
    assert "compute/vcpu -> network/egress, 4 bytes" in told and "network/egress, in byte" in told
    rules.write_text("- {name: Out, starts-on: 2026-09-01, conditions: {unit: cores}}\n")
    assert "rule 1, meter: field required" in terminal("kind-rules", "apply", str(rules), exit=1)


def test_what_it_looks_like_is_confirmed_by_the_command_that_is_told(terminal: Terminal, world: World) -> None:
    sent = (
        reading("a", meter="guest cores", unit="cores", attributes={"flavour": "large", "Zone": "x"}),
        reading("b", meter="coffee", unit="cups", attributes={}),
    )
    assert world.mara.readings.send("tarnwick/north-fell", sent).accepted == 2
    lines = terminal("kind-rules", "unknown", "2026-09").splitlines()
    [told] = [line for line in lines if "it looks like" in line]
    assert told.strip().startswith("it looks like compute/vcpu; to have it so: gradumen kind-rules add 'guest cores'")
    command = shlex.split(told.partition("to have it so: gradumen ")[2])
    assert "unknown -> compute/vcpu with size large, 24 vCPU-hours" in terminal(*command, "--check")
    terminal(*command)
    for task in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(task.id, seconds=60)
    assert "guest" not in terminal("kind-rules", "unknown", "2026-09")
    assert "24 vCPU-hours" in " ".join(terminal("usage", "show", "--period", "2026-09", "--wait", "60").split())
