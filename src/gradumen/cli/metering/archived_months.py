"""gradumen archived-months: which months of readings are archived."""

import argparse
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out, in_words
from gradumen.client import Client
from gradumen.wire.metering.archived_months import ArchivedMonthsBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "archived-months", "which months of readings are archived, in the whole installation")
    verbs.add("list", run_list, "months of readings, how many of them are archived, and what they take")
    setting = verbs.add(
        "set", run_set, "archive what was measured before a month: it stays in reach, and what was made of it is fixed"
    )
    whole = setting.add_mutually_exclusive_group(required=True)
    whole.add_argument("--before", metavar="YYYY-MM", help="the first month that is not archived, or is brought back")
    whole.add_argument("--none", action="store_true", help="bring all of them back")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show months."""
    _show(client.archived_months.get(), out)
    return 0


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Archive and bring back, and watch until it is done; 1 where it needs a hand."""
    found = client.archived_months.set(None if arguments.none else arguments.before)
    if found.task is not None:
        with out.following() as tell:
            task = client.tasks.follow(found.task, tell=tell)
        if task.state == "needs a hand":
            out.body(task)
            out.say(f"it needs a hand: {task.problem}; see gradumen tasks show {str(task.id)[:8]}")
            return 1
    _show(client.archived_months.get(), out)
    return 0


def _show(found: ArchivedMonthsBody, out: Out) -> None:
    out.body(found)
    rows = [
        (each.month, f"{each.archived:,}" if each.archived else "-", _size(each.packed), _size(each.in_rows))
        for each in found.items
    ]
    figures = ("ARCHIVED", "PACKED", "IN ROWS")
    out.table(("MONTH, UTC", *figures), rows, right=figures)
    if found.before is None:
        out.say("no readings are archived")
    else:
        out.say(f"what was measured before {found.before} is archived, and its usage fixed")
    if found.before != found.latest:
        out.say(f"what was measured before {found.latest} can be")
    if found.task is not None:
        out.say(f"under way: see gradumen tasks follow {str(found.task)[:8]}")


def _size(size: int) -> str:
    """About how many bytes, to one place."""
    if not size:
        return "-"
    number, unit = in_words(Decimal(size), "byte")
    return f"{round(Decimal(number), 1)} {unit}"
