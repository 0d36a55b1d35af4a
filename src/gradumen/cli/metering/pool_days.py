"""gradumen pool-days: what there was of one's pools, what was promised and in use."""

import argparse
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import one_pool
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.units import unit_words

FIGURES = ("CAPACITY", "PROMISED", "AT SITE", "LEFT", "METERED", "ON HOSTS", "MOST")


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "pool-days", "what there was of your pools, what was promised and in use, day by day")
    listing = verbs.add("list", run_list, "of one pool, each UTC day that is noted")
    listing.add_argument("pool", help="its slug or id")
    listing.add_argument("--from", dest="first", type=date.fromisoformat, help="the first day, by default 30 days ago")
    listing.add_argument("--to", dest="end", type=date.fromisoformat, help="the day before which it ends")
    add_organisation(listing)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show days."""
    pool = one_pool(client, own_organisation(arguments), arguments.pool)
    found = client.pool_days.list(pool.id, first=arguments.first, end=arguments.end)
    out.body(found)
    rows = [
        (
            f"{each.day}",
            quantity(each.capacity) + (f" × {quantity(each.factor)}" if each.factor != 1 else ""),
            *(quantity(figure) for figure in (each.promised, each.at_site, each.left)),
            *(_told(figure) for figure in (each.metered, each.on_hosts, each.on_hosts_most)),
        )
        for each in found
    ]
    out.table(("DAY, UTC", *FIGURES), rows, right=FIGURES)
    if found:
        out.say(f"{pool.measure} in {unit_words(pool.unit, Decimal(2))}; metered is the mean of a day that is over")
    else:
        out.say("nothing is noted of these days: pools are noted every hour, from the day on which they are made")
    return 0


def _told(figure: Decimal | None) -> str:
    return "-" if figure is None else quantity(figure)
