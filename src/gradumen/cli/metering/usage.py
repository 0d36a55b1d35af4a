"""gradumen usage."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_words
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "usage", "what was used")
    show = verbs.add("show", run_show, "usage of an organisation and all below it in a month")
    show.add_argument("--period", required=True, metavar="YYYY-MM")
    show.add_argument("--by", action="append", default=[], choices=["day", "resource", "project", "organisation"])
    show.add_argument("--meter", metavar="SERVICE/METER")
    show.add_argument("--project")
    show.add_argument("--limit", type=int, default=200)
    add_organisation(show)
    add_wait(show)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show usage."""
    found = client.usage.sum(
        own_organisation(arguments),
        arguments.period,
        by=arguments.by,
        meter=arguments.meter,
        project=arguments.project,
        limit=arguments.limit,
        wait=arguments.wait,
    )
    out.body(found)
    keys = list(arguments.by)
    out.table(
        ("METER", *(key.upper() for key in keys), "QUANTITY", "UNIT"),
        [(each.meter, *(each.keys[key] for key in keys), *in_words(each.quantity, each.unit)) for each in found.items],
        right=("QUANTITY",),
    )
    if not found.items:
        out.say(f"no usage in {found.period}; send readings with: gradumen readings send")
    out.as_of(found)
    if found.more:
        out.note(f"only the first {arguments.limit}; ask for more with --limit")
    return 0
