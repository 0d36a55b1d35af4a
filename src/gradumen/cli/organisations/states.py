"""gradumen states: what organisations are, were and will be."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.organisations.states import StatesBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "states", "whether an organisation is proposed, active, suspended, closing or closed")
    add_organisation(verbs.add("show", run_show, "its state, what that means, those before, and what may follow"))
    change = verbs.add("set", run_set, "bring an organisation into another state; safe to repeat")
    change.add_argument("organisation")
    change.add_argument("state", choices=("active", "suspended", "closing", "closed"))
    change.add_argument("--starts-on", type=date.fromisoformat, metavar="DAY", help="from that day; without it: now")
    change.add_argument("--reason", help="why; the organisation reads it")
    withdraw = verbs.add("withdraw", run_withdraw, "forget what is planned; safe to repeat")
    withdraw.add_argument("organisation")


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show states."""
    return _show(client.states.list(own_organisation(arguments)), out)


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a state."""
    starts_on, reason = arguments.starts_on, arguments.reason
    return _show(client.states.change(arguments.organisation, arguments.state, starts_on=starts_on, reason=reason), out)


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Forget what is planned."""
    client.states.withdraw_planned(arguments.organisation)
    return _show(client.states.list(arguments.organisation), out)


def _show(found: StatesBody, out: Out) -> int:
    out.body(found)
    out.say(
        f"{found.organisation_name} is {found.state}" + ("" if found.own == found.state else ", as one above it is")
    )
    for what, said in found.meaning:
        out.say(f"  {what.replace('_', '-')}: {said}")
    if found.history:
        out.table(
            ("FROM", "STATE", "REASON"),
            [
                (f"{each.starts_at:%Y-%m-%d %H:%M}", f"{each.state}, planned" if each.planned else each.state,
                 each.reason or "")
                for each in found.history
            ],
        )  # fmt: skip
    for each in found.next:
        against = f"; not yet: {'; '.join(each.hindrances)}" if each.hindrances else ""
        out.say(f"it can become {each.state}{against}")
    return 0
