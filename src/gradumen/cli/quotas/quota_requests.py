"""gradumen quota-requests: what organisations ask their sellers for."""

import argparse
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import MEASURES
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.quotas.measures import unit_of
from gradumen.wire.quotas.quota_requests import QuotaRequestBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "quota-requests", "other limits that customers ask their sellers for")
    add_organisation(verbs.add("list", run_list, "what an organisation asked for, and is asked by its customers"))
    ask = verbs.add("ask", run_ask, "ask the seller for another limit; replaces an open request of the same measure")
    ask.add_argument("measure", help=MEASURES)
    ask.add_argument("limit", type=Decimal, help="how much is wanted in all")
    ask.add_argument("reason", help="why; the seller reads it")
    add_organisation(ask)
    for name, run, help in (
        ("grant", run_grant, "give what is asked for, or less; safe to repeat"),
        ("refuse", run_refuse, "refuse it; safe to repeat"),
        ("withdraw", run_withdraw, "take your own request back; safe to repeat"),
    ):
        verb = verbs.add(name, run, help)
        verb.add_argument("request", help="its id, or the beginning of it")
        if name == "grant":
            verb.add_argument("--limit", type=Decimal, help="less than is asked for")
            verb.add_argument("--reason", help="what the one who asked reads")
        if name == "refuse":
            verb.add_argument("reason", help="why; the one who asked reads it")
        add_organisation(verb)


def _row(each: QuotaRequestBody) -> tuple[str, ...]:
    unit = unit_of(each.unit, each.asked)
    answered = "" if each.answered is None else quantity(each.answered)
    return (
        str(each.id)[:8], each.organisation_name, each.measure, quantity(each.present), quantity(each.asked), unit,
        each.state, answered, each.answer or each.reason,
    )  # fmt: skip


HEAD = ("REQUEST", "OF", "MEASURE", "HAS", "ASKS FOR", "UNIT", "STATE", "GIVEN", "REASON")
RIGHT = ("HAS", "ASKS FOR", "GIVEN")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show requests."""
    found = client.quota_requests.list(own_organisation(arguments))
    out.body(found)
    # What waits for an answer first.
    out.table(HEAD, map(_row, sorted(found, key=lambda each: each.state != "open")), right=RIGHT)
    if not found:
        out.say("nobody asked for anything")
    return 0


def _one(arguments: argparse.Namespace, client: Client) -> UUID:
    """The request that is meant."""

    def newest() -> list[UUID]:
        return [each.id for each in client.quota_requests.list(own_organisation(arguments))]

    return by_beginning(arguments.request, newest, field="request", noun="quota-request")


def _show(made: QuotaRequestBody, out: Out) -> int:
    out.body(made)
    out.table(HEAD, [_row(made)], right=RIGHT)
    return 0


def run_ask(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Ask for a limit."""
    slug = own_organisation(arguments)
    return _show(client.quota_requests.ask(slug, arguments.measure, arguments.limit, arguments.reason), out)


def run_grant(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Grant a request."""
    wanted = _one(arguments, client)
    limit = arguments.limit
    if limit is None:
        asked = client.quota_requests.list(own_organisation(arguments))
        limit = next(each.asked for each in asked if each.id == wanted)
    return _show(client.quota_requests.answer(wanted, limit, arguments.reason), out)


def run_refuse(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Refuse a request."""
    return _show(client.quota_requests.answer(_one(arguments, client), None, arguments.reason), out)


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a request back."""
    return _show(client.quota_requests.withdraw(_one(arguments, client)), out)
