"""gradumen programs."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "programs", "programs that were planned for you, and whose tokens wait for you")
    verbs.add("list", run_list, "those whose tokens you have not collected")
    collect = verbs.add("collect-token", run_collect, "make the token of one, once; it is shown once")
    drop = verbs.add("drop", run_drop, "give one up; safe to repeat")
    for each in (collect, drop):
        each.add_argument("id", type=UUID)
        each.set_defaults(local=True)
        add_password(each)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them."""
    found = client.programs.list()
    out.body(found)
    out.table(
        ("NAME", "ORGANISATION", "ROLE", "DAYS", "ID"),
        [(each.name, each.organisation, each.role, str(each.days), str(each.id)) for each in found],
        right=("DAYS", "ID"),
    )
    if not found:
        out.say("no token waits for you; make one with: gradumen tokens create")
    return 0


def run_collect(arguments: argparse.Namespace, out: Out) -> int:
    """Collect one."""
    with signed_in(arguments) as client:
        made = client.programs.collect_token(arguments.id)
    out.body(made)
    out.say(made.secret or "")
    out.note(f"keep it; it is not shown again and lasts until {made.expires_at:%Y-%m-%d}")
    return 0


def run_drop(arguments: argparse.Namespace, out: Out) -> int:
    """Give one up."""
    with signed_in(arguments) as client:
        client.programs.drop(arguments.id)
    out.say("given up")
    return 0
