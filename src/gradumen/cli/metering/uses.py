"""gradumen uses."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.catalogue.units import unit_words
from gradumen.wire.metering.uses import UseBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "uses", "what is in use of what quotas limit")
    add_organisation(verbs.add("list", run_list, "what an organisation and all below it use now, by measure"))


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


def _when(each: UseBody) -> str:
    """Of when a figure is."""
    if each.hour is not None:
        return f"{each.hour:%Y-%m-%d %H:00}, the hour's mean"
    return {"monthly": "this month so far", "daily": "today so far"}.get(each.kind, "now")
