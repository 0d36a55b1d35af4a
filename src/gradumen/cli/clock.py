"""gradumen clock."""

import argparse
from datetime import datetime
from typing import Any

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "clock", "the business clock")
    verbs.add("show", run_show, "the business time")
    setting = verbs.add("set", run_set, "move it, where the service allows that (demo, tests)")
    setting.add_argument("to", type=moment, help="a time with zone like 2026-10-01T00:00:00Z, or 'real'")
    setting.add_argument("--held", action="store_true", help="let it stand still there")


def moment(raw: str) -> datetime | None:
    """Read a time."""
    return None if raw == "real" else datetime.fromisoformat(raw)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the clock."""
    found = client.clock.read()
    out.body(found)
    out.say(f"{found.now:%Y-%m-%d %H:%M:%S} UTC{', held' if found.held else ''}")
    return 0


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Move the clock."""
    found = client.clock.set(arguments.to, held=arguments.held)
    out.body(found)
    out.say(f"{found.now:%Y-%m-%d %H:%M:%S} UTC{', held' if found.held else ''}")
    return 0
