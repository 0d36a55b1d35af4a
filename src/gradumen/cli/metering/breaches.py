"""gradumen breaches: where more is in use than a limit allows."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.quotas.measures import unit_of
from gradumen.wire.metering.breaches import BreachBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "breaches", "where more is in use than a limit allows")
    listing = verbs.add("list", run_list, "those of an organisation, and of the limits that it gave")
    listing.add_argument("--all", action="store_true", help="those that are over, too")
    add_organisation(listing)
    note = verbs.add("note", run_note, "say what you do about one; your own people read it; safe to repeat")
    note.add_argument("breach", help="its id, or the beginning of it")
    note.add_argument("note", help="what you do about it")
    add_organisation(note)


HEAD = ("BREACH", "OF", "MEASURE", "LIMIT", "IN USE", "MOST", "UNIT", "STATE", "SINCE, UTC", "NOTE")
RIGHT = ("LIMIT", "IN USE", "MOST")


def _row(each: BreachBody) -> tuple[str, ...]:
    of = f"{each.organisation_name}: {each.project_name}" if each.project else each.organisation_name
    until = f" until {each.grace_until:%Y-%m-%d}" if each.state == "in grace" and each.grace_until else ""
    soft = " (soft)" if each.crossed == "soft limit" else ""
    return (
        str(each.id)[:8], of, each.measure, f"{quantity(each.limit)}{soft}", quantity(each.used), quantity(each.most),
        unit_of(each.unit, each.limit), f"{each.state}{until}", f"{each.opened_at:%Y-%m-%d %H:%M}",
        each.note or "",
    )  # fmt: skip


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show breaches."""
    found = client.breaches.list(own_organisation(arguments), state="all" if arguments.all else "open")
    out.body(found)
    out.table(HEAD, map(_row, found), right=RIGHT)
    if not found:
        out.say("nothing uses more than its limit")
    return 0


def run_note(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Note what is done."""

    def known() -> list[UUID]:
        return [each.id for each in client.breaches.list(own_organisation(arguments), state="all")]

    wanted = by_beginning(arguments.breach, known, field="breach", noun="breach")
    made = client.breaches.note(wanted, arguments.note)
    out.body(made)
    out.table(HEAD, [_row(made)], right=RIGHT)
    return 0
