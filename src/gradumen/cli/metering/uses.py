"""gradumen uses."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "uses", "what is in use of what quotas limit")
    add_organisation(verbs.add("list", run_list, "what an organisation and all below it use now, by measure"))


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show uses."""
    found = client.uses.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("MEASURE", "IN USE", "UNIT", "HOUR, UTC"),
        [
            (each.measure, quantity(each.quantity), each.unit, f"{each.hour:%Y-%m-%d %H:00}")
            for each in found
            if each.quantity is not None and each.hour is not None
        ],
        right=("IN USE",),
    )
    for each in found:
        if each.quantity is None:
            out.say(f"{each.measure}: no usage in the last week of a meter that counts it")
    return 0
