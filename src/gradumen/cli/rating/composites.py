"""gradumen composites."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client

WORDS = {"whole": "the whole", "components": "its components"}


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "composites", "what is made of other resources, charged as the whole or as its components")
    listed = verbs.add("list", run_list, "what of a month is charged with other usage, sold by you and to you")
    listed.add_argument("--period", required=True, metavar="YYYY-MM")
    listed.add_argument("--resource", metavar="NAME", help="of this composite or component only")
    listed.add_argument("--limit", type=int, default=200)
    add_organisation(listed)
    add_wait(listed)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is charged with other usage."""
    found = client.composites.list(
        own_organisation(arguments),
        arguments.period,
        resource=arguments.resource,
        limit=arguments.limit,
        wait=arguments.wait,
    )
    out.body(found)
    out.table(
        ("COMPOSITE", "CHARGED AS", "NOT BY ITSELF", "METER", "QUANTITY", "HOURS", "WHOSE", "SOLD BY"),
        [
            (
                each.composite,
                WORDS[each.charged_as],
                each.resource,
                each.meter_name,
                in_short(each.quantity, each.unit),
                f"{each.hours}",
                each.organisation,
                each.seller,
            )
            for each in found.items
        ],
        right=("QUANTITY", "HOURS"),
    )
    if not found.items:
        out.say(f"in {found.period} everything was charged by itself")
    out.as_of(found)
    if found.more:
        out.note(f"only the first {arguments.limit}; ask for more with --limit")
    return 0
