"""gradumen feed-arrivals: what comes in by feeds, beside what usually does."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.metering.feed_arrivals import Pace
from gradumen.core.units import counted
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody

HEAD = ("FEED", "COMES", "LAST DELIVERY", "EVERY", "HERE UNTIL", "BEHIND", "LAST 24 H", "USUALLY", "REFUSED")
LATE = (Pace.LATE, Pace.LESS)


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "feed-arrivals", "whether feeds are late, how far behind, and how much came")
    listing = verbs.add("list", run_list, "each feed of a seller; exit 1 where one is late or brings less than usual")
    add_organisation(listing)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what comes in."""
    found = client.feed_arrivals.list(own_organisation(arguments))
    out.body(found)
    out.table(HEAD, map(_row, found), right=("LAST 24 H", "USUALLY", "REFUSED"))
    if not found:
        out.say("no feeds yet; make one with: gradumen feeds create")
    return 1 if any(each.pace in LATE for each in found) else 0


def _row(each: FeedArrivalBody) -> tuple[str, ...]:
    return (
        each.feed,
        each.pace,
        "" if each.last_delivery is None else f"{each.last_delivery:%Y-%m-%d %H:%M}",
        _hours(each.every_hours),
        "" if each.here_until is None else f"{each.here_until:%Y-%m-%d %H:%M}",
        _hours(each.hours_behind),
        f"{each.items}",
        "" if each.usual_items is None else f"{each.usual_items}",
        f"{each.refused}" if each.refused else "",
    )


def _hours(hours: int | None) -> str:
    if hours is None:
        return ""
    return counted(hours // 24, "day") if hours >= 48 else counted(hours, "hour")
