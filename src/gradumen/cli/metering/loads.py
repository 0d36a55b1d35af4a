"""gradumen loads."""

import argparse
from datetime import UTC, date, datetime, timedelta
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "loads", "how much of a resource was used hour by hour")
    listed = verbs.add("list", run_list, "hours of a resource: mean levels, or what flowed; times are UTC")
    listed.add_argument("resource")
    listed.add_argument("--from", dest="first", type=date.fromisoformat, metavar="DAY", help="else a week ago")
    listed.add_argument("--until", type=date.fromisoformat, metavar="DAY", help="the first day after; else tomorrow")
    listed.add_argument("--meter", help="of this one only")
    add_organisation(listed)
    add_wait(listed)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the hours of a resource."""
    until = arguments.until or datetime.now(UTC).date() + timedelta(days=1)
    found = client.loads.list(
        own_organisation(arguments),
        arguments.resource,
        first=arguments.first or until - timedelta(days=7),
        until=until,
        wait=arguments.wait,
    )
    items = [each for each in found.items if arguments.meter in (None, each.meter)]
    found = found.model_copy(update={"items": items})
    out.body(found)
    out.table(
        ("METER", "HOUR (UTC)", "MEAN OR AMOUNT"),
        [
            (each.meter, f"{point.at:%Y-%m-%d %H:%M}", in_short(point.quantity, each.unit))
            for each in found.items
            for point in each.points
        ],
        # A moment that is cut short is another one.
        right=("HOUR (UTC)", "MEAN OR AMOUNT"),
    )
    for each in found.items:
        highest, mean = (in_short(figure, each.unit) for figure in (each.highest, each.mean))
        watched = "; only watched, not charged" if each.watched else ""
        out.say(f"{each.meter_name}: {mean} on average, {highest} at most in an hour{watched}")
    if not found.items:
        out.say(f"nothing was used of {found.resource} from {found.first} up to {found.until}")
    out.as_of(found)
    return 0
