"""gradumen feeds."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "feeds", "the ways in for usage")
    listing = verbs.add("list", run_list, "the feeds of a seller")
    add_organisation(listing)
    create = verbs.add("create", run_create, "make a feed")
    create.add_argument("slug")
    create.add_argument("--name", required=True)
    add_organisation(create)
    allow = verbs.add("allow", run_allow, "let a user send to a feed; safe to repeat")
    allow.add_argument("feed", metavar="ORGANISATION/FEED")
    allow.add_argument("email")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show feeds."""
    found = client.feeds.list(own_organisation(arguments))
    out.body(found)
    out.table(("FEED", "NAME", "SENDERS"), [(each.path, each.name, ", ".join(each.senders)) for each in found])
    if not found:
        out.say("no feeds yet; make one with: gradumen feeds create")
    return 0


def run_create(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Make a feed."""
    made = client.feeds.create(own_organisation(arguments), slug=arguments.slug, name=arguments.name)
    out.body(made)
    out.say(f"feed '{made.path}' is there")
    return 0


def run_allow(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let a user send."""
    made = client.feeds.allow(arguments.feed, arguments.email)
    out.body(made)
    out.say(f"{', '.join(made.senders)} may send to '{made.path}'")
    return 0
