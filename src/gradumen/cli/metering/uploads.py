"""gradumen uploads: large cost files that are on their way or need a person."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.cli.upload_words import state_words
from gradumen.client import Client
from gradumen.core.metering.uploads import UploadState


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "uploads", "large cost files that come in pieces (gradumen costs send)")
    listing = verbs.add("list", run_list, "what is on its way to a feed or needs a person")
    listing.add_argument("feed", metavar="ORGANISATION/FEED")
    confirm = verbs.add("confirm", run_confirm, "take a file as it is that lacks a person's word alone; safe to repeat")
    drop = verbs.add("give-up", run_give_up, "forget what came of a file that does not count yet; safe to repeat")
    for verb in (confirm, drop):
        verb.add_argument("upload", type=UUID, metavar="ID")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is on its way."""
    found = client.uploads.list(arguments.feed)
    out.body(found)
    rows = [
        (
            str(each.id),
            each.name,
            f"{each.part} of {each.parts}",
            f"{each.exported_at:%Y-%m-%d %H:%M}" if each.exported_at else "",
            state_words(each),
        )
        for each in found
    ]
    out.table(("ID", "FILE", "PART", "EXPORTED (UTC)", "STATE"), rows)
    if not found:
        out.say(f"nothing is on its way to {arguments.feed}")
    return 0


def run_confirm(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Confirm a file."""
    found = client.uploads.follow(client.uploads.confirm(arguments.upload).id)
    out.body(found)
    out.say(f"{found.name}: {state_words(found)}")
    return 1 if found.state == UploadState.REFUSED else 0


def run_give_up(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Give a file up."""
    found = client.uploads.give_up(arguments.upload)
    out.body(found)
    out.say(f"{found.name}: {state_words(found)}")
    return 0
