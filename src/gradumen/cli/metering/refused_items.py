"""gradumen refused-items: what was refused of what a feed delivered."""

import argparse
from pathlib import Path
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, by_beginning
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.core.errors import Invalid


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "refused-items", "what was refused of what a feed delivered, with the reasons")
    listing = verbs.add("list", run_list, "of the last 60 days, the newest delivery first")
    listing.add_argument("feed", metavar="ORGANISATION/FEED")
    listing.add_argument("--delivery", help="only of this one: its id, or how that begins")
    listing.add_argument("--limit", type=int, default=20, help="so many at most")
    listing.add_argument("--file", type=Path, metavar="FILE.csv", help="write all of them with what was sent, as CSV")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what was refused, or write it."""
    delivery = None

    def newest() -> list[UUID]:
        return [each.id for each in client.feeds.deliveries(arguments.feed, limit=100)]

    if arguments.delivery is not None:
        delivery = by_beginning(arguments.delivery, newest, field="delivery", noun="delivery")
    if arguments.file is not None:
        content = client.refused_items.file(arguments.feed, delivery=delivery)
        try:
            arguments.file.write_bytes(content)
        except OSError as error:
            raise Invalid(f"cannot write {arguments.file}: {error.strerror}", field="file") from error
        out.say(f"written to {arguments.file}")
        return 0
    found = client.refused_items.list(arguments.feed, delivery=delivery, most=arguments.limit + 1)
    out.body(found[: arguments.limit])
    out.table(
        ("DELIVERY", "RECEIVED", "ITEM", "WHY"),
        [
            (str(each.delivery)[:8], f"{each.received_at:%Y-%m-%d %H:%M}", each.id, each.reason)
            for each in found[: arguments.limit]
        ],
    )
    if not found:
        out.say("nothing was refused in the last 60 days")
    if len(found) > arguments.limit:
        out.note("... and more; --file FILE.csv has all of them, with what was sent")
    return 0
