"""gradumen retentions."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.wire.retentions import RetentionBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "retentions", "how long the service keeps what it knows")
    verbs.add("list", run_list, "each kind of data, after how long it is forgotten, or why not")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them."""
    found = client.retentions.list()
    out.body(found)
    for each in found:
        out.say(f"{each.kind}: {_kept(each)}")
    return 0


def _kept(each: RetentionBody) -> str:
    if each.days is None:
        return f"kept; {each.since}"
    return f"{each.days} days {each.since}" if each.days else f"not kept {each.since}"
