"""gradumen uses."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import MEASURES
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.units import unit_words
from gradumen.wire.metering.uses import UseBody, UseDayBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "uses", "what is in use of what quotas limit")
    add_organisation(verbs.add("list", run_list, "what an organisation and all below it use now, by measure"))
    days = verbs.add("days", run_days, "what they used of a measure on each UTC day, beside its limit")
    days.add_argument("measure", help=MEASURES)
    days.add_argument("--from", dest="first", type=date.fromisoformat, help="the first day, by default 30 days ago")
    days.add_argument("--to", dest="end", type=date.fromisoformat, help="the day before which it ends")
    add_organisation(days)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show uses."""
    found = client.uses.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("MEASURE", "IN USE", "UNIT", "WHEN, UTC"),
        [
            (each.measure, quantity(each.quantity), unit_words(each.unit, each.quantity), _when(each))
            for each in found
            if each.quantity is not None
        ],
        right=("IN USE",),
    )
    rest = [each.measure for each in found if each.quantity is None]
    if rest:
        out.say(f"no usage in the last week of a meter that counts {', '.join(rest)}")
    return 0


def run_days(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show use over time."""
    slug = own_organisation(arguments)
    found = client.uses.days(slug, arguments.measure, first=arguments.first, end=arguments.end)
    out.body(found)
    unit = next((each.unit for each in client.measures.list() if each.measure == arguments.measure), "")
    out.table(
        ("DAY, UTC", f"IN USE, {unit}", "LIMIT", ""),
        [(f"{each.day}", quantity(each.quantity), _limit(each), _over(each)) for each in found],
        right=(f"IN USE, {unit}", "LIMIT"),
    )
    if not found:
        out.say("no day of these is over yet")
    return 0


def _limit(each: UseDayBody) -> str:
    return "" if each.limit is None else quantity(each.limit)


def _over(each: UseDayBody) -> str:
    return "above it" if each.limit is not None and (each.quantity or 0) > each.limit else ""


def _when(each: UseBody) -> str:
    """Of when a figure is."""
    if each.hour is not None:
        return f"{each.hour:%Y-%m-%d %H:00}, the hour's mean"
    return {"monthly": "this month so far", "daily": "today so far"}.get(each.kind, "now")
