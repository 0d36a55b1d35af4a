"""gradumen resource-facts: what is known of a resource."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.units import counted


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "resource-facts", "what is known of a resource: who made it, tags, how long it is quiet")
    show = verbs.add("show", run_show, "of one, by the name that its feed gives it")
    show.add_argument("resource", metavar="NAME")
    add_organisation(show)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is known."""
    found = client.resource_facts.get(own_organisation(arguments), arguments.resource)
    out.body(found)
    if found.last_used is None:
        out.say("nothing of it was used in the last 400 days")
    else:
        quiet = f", quiet for {counted(found.quiet_days, 'day')}" if found.quiet_days else ""
        out.say(f"used from {found.first_used} to {found.last_used}{quiet}")
    if found.made_by is not None:
        out.say(f"made by {found.made_by}")
    if found.facts:
        out.table(("IS", "", "TOLD BY FEED"), [(each.name, each.value, each.feed or "") for each in found.facts])
    return 0
