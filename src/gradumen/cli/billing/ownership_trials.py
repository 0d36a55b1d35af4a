"""gradumen ownership-trials: what was tried with rules of ownership."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.tried_rules import tell_months, tell_moves
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "ownership-trials", "what rules of ownership would move, and what months would come to")
    add_organisation(verbs.add("list", run_list, "what was tried in the last 90 days, newest first"))
    show = verbs.add("show", run_show, "one trial: what would move, and what each customer's months would come to")
    show.add_argument("trial", help="its id, or the beginning of it")
    add_organisation(show)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what was tried."""
    found = client.ownership_trials.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("TRIAL", "STATE", "ASKED, UTC", "BY"),
        [(str(each.id)[:8], each.state, f"{each.asked_at:%Y-%m-%d %H:%M}", each.asked_by) for each in found],
    )
    if not found:
        out.say("nothing was tried; a rule that reaches billed months is, when it is added or looked at")
    return 0


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one."""
    seller = own_organisation(arguments)
    identity = by_beginning(
        arguments.trial,
        lambda: [each.id for each in client.ownership_trials.list(seller, limit=500)],
        field="trial",
        noun="ownership-trial",
    )
    found = client.ownership_trials.get(identity)
    out.body(found)
    if found.preview is None:
        out.note(f"the trial is {found.state}" + (f": {found.problem}" if found.problem else ""))
        return 1
    tell_moves(found.preview, out)
    tell_months(found, out)
    return 0
