"""gradumen feed-precedences."""

import argparse
from datetime import UTC, date, datetime
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.metering.feed_precedences import FeedFirst, FeedPrecedencesBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "feed-precedences", "which feed counts where several measure the same")
    listing = verbs.add("list", run_list, "the feeds of a seller that give way to others")
    add_organisation(listing)
    give = verbs.add("set", run_set, "let a feed give way to others, and to no more than these; safe to repeat")
    give.add_argument("feed", metavar="ORGANISATION/FEED")
    give.add_argument("to", nargs="*", metavar="ORGANISATION/FEED", help="which count; none: it gives way no more")
    first = "from which day of UTC on; by default as it was, else the first of this month"
    give.add_argument("--from", dest="starts_on", type=date.fromisoformat, metavar="YYYY-MM-DD", help=first)
    compare = verbs.add("compare", run_compare, "what a feed measured where it gave way, beside what counts")
    compare.add_argument("feed", metavar="ORGANISATION/FEED")
    compare.add_argument("--period", required=True, metavar="YYYY-MM")
    add_wait(compare)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show who gives way."""
    found = client.feed_precedences.list(own_organisation(arguments))
    out.body(found)
    _show(out, found)
    if not found:
        out.say("no feed gives way; where two measure the same both count: gradumen feed-balances show tells where")
    return 0


def _show(out: Out, found: list[FeedPrecedencesBody]) -> None:
    rows = [(each.feed, first.feed, first.starts_on.isoformat()) for each in found for first in each.to]
    out.table(("FEED", "GIVES WAY TO", "FROM"), rows)
    reached = {each.fixed_before for each in found for first in each.to
               if each.fixed_before and first.starts_on < each.fixed_before}  # fmt: skip
    for before in reached:
        out.say(f"what was measured before {before} is archived, and counts as it did")


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let a feed give way."""
    kept = {
        first.feed: first.starts_on
        for each in client.feed_precedences.list(arguments.feed.partition("/")[0])
        for first in each.to
        if each.feed == arguments.feed
    }
    month = datetime.now(UTC).date().replace(day=1)
    to = [FeedFirst(feed=each, starts_on=arguments.starts_on or kept.get(each, month)) for each in arguments.to]
    made = client.feed_precedences.set(arguments.feed, to)
    out.body(made)
    _show(out, [made])
    if not made.to:
        out.say(f"{made.feed} gives way to no feed")
    return 0


def run_compare(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what both measured; exit 1 where they differ."""
    found = client.feed_precedences.compare(arguments.feed, arguments.period, wait=arguments.wait)
    out.body(found)
    for meter in found.meters:
        out.say(f"{meter.meter_name}: {meter.resources} resources measured by both, {meter.differing} differ")
        rows = [
            ("all", meter.measured, meter.counted, meter.difference),
            *((each.resource, each.measured, each.counted, each.difference) for each in meter.examples),
        ]
        out.table(
            ("RESOURCE", "MEASURED", "COUNTED", "DIFFERENCE"),
            [(name, *(in_short(value, meter.unit) for value in values)) for name, *values in rows],
            right=("MEASURED", "COUNTED", "DIFFERENCE"),
        )
    if not found.meters:
        out.say("it gave way nowhere in this month")
    out.as_of(found)
    return 1 if any(each.differing for each in found.meters) else 0
