"""gradumen to-dos."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client

MARKS = {"failed": "!", "look": "*", "note": "-"}


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "to-dos", "what needs you")
    add_organisation(verbs.add("list", run_list, "what needs your organisation, the most pressing first"))


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them."""
    found = client.to_dos.list(own_organisation(arguments))
    out.body(found)
    for each in found:
        out.say(f"{MARKS[each.weight]} {each.title}")
        if each.detail:
            out.say(f"  {each.detail}")
    if not found:
        out.say("nothing needs you")
    return 0
