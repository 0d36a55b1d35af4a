"""gradumen messages."""

import argparse
from pathlib import Path
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.messages import Kind, State
from gradumen.wire.messages import MessageTextBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "messages", "mail to people: what was sent, what failed, and the texts of it")
    listing = verbs.add("list", run_list, "what was sent, the latest first; for administrators")
    listing.add_argument("--state", choices=list(State), help="only this state")
    listing.add_argument("--search", default="", help="only addresses that have this")
    listing.add_argument("--limit", type=int, default=50)
    retry = verbs.add("retry", run_retry, "have a message that failed sent again")
    retry.add_argument("message", help="its id, or the beginning of it")
    texts = verbs.add("texts", run_texts, "the text of each kind of message")
    write = verbs.add("write-text", run_write_text, "write an own text: the first line of the file is the subject")
    write.add_argument("kind", choices=list(Kind))
    write.add_argument("file", type=Path)
    write.add_argument("--try", dest="only_try", action="store_true", help="show what it comes to, and keep nothing")
    drop = verbs.add("drop-text", run_drop_text, "go back to the text that a kind begins with")
    drop.add_argument("kind", choices=list(Kind))
    for verb in (listing, retry, texts, write, drop):
        add_organisation(verb)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what was sent."""
    found = client.messages.list(
        own_organisation(arguments), state=arguments.state, search=arguments.search, limit=arguments.limit
    )
    out.body(found)
    out.table(
        ("ID", "TIME, UTC", "TO", "SUBJECT", "STATE"),
        [
            (
                str(each.id)[:8],
                f"{each.created_at:%Y-%m-%d %H:%M}",
                each.email,
                each.subject,
                f"{each.state}: {each.problem}" if each.problem else each.state,
            )
            for each in found
        ],
    )
    if not found:
        out.say("nothing was sent with this; try without --state and --search")
    return 0


def run_retry(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Send again."""

    def newest() -> list[UUID]:
        return [each.id for each in client.messages.list(own_organisation(arguments), limit=500)]

    made = client.messages.retry(by_beginning(arguments.message, newest, field="message", noun="message"))
    out.body(made)
    out.say(f"'{made.subject}' to {made.email} is {made.state}")
    return 0


def run_texts(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the texts."""
    found = client.messages.texts(own_organisation(arguments))
    out.body(found)
    for each in found:
        out.say(f"{each.kind}{' (own)' if each.own else ''}: when {each.when}")
        out.say(f"  {each.subject}\n")
        out.say("\n".join(f"  {line}" for line in each.body.splitlines()) + "\n")
    return 0


def run_write_text(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Write a text, or look at what it comes to."""
    subject, _, body = arguments.file.read_text(encoding="utf-8").partition("\n")
    organisation = own_organisation(arguments)
    if arguments.only_try:
        mail = client.messages.try_text(organisation, arguments.kind, subject=subject, body=body)
        out.body(mail)
        out.say(f"{mail.subject}\n\n{mail.text}")
        return 0
    return _say(client.messages.write_text(organisation, arguments.kind, subject=subject, body=body), out)


def run_drop_text(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Go back."""
    return _say(client.messages.drop_text(own_organisation(arguments), arguments.kind), out)


def _say(text: MessageTextBody, out: Out) -> int:
    out.body(text)
    out.say(f"{text.kind} has {'its own text' if text.own else 'the text that it begins with'}: {text.subject}")
    return 0
