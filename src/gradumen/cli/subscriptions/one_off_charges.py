"""gradumen one-off-charges."""

import argparse
from datetime import date
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, money
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "one-off-charges", "amounts that a seller charges by hand")
    listing = verbs.add("list", run_list, "what was charged by hand, the latest first")
    add_organisation(listing)
    enter = verbs.add("enter", run_enter, "charge an amount; it goes on the next document")
    enter.add_argument("customer", help="the subscriber")
    enter.add_argument("subscription", help="the subscription's own name")
    enter.add_argument("amount")
    enter.add_argument("currency")
    enter.add_argument("description")
    enter.add_argument("--day", type=date.fromisoformat, required=True, metavar="DAY", help="the day that it is for")
    add_organisation(enter)
    withdraw = verbs.add("withdraw", run_withdraw, "take a charge back; safe to repeat")
    withdraw.add_argument("charge", type=UUID)


def _show(found: list[OneOffChargeBody], out: Out) -> None:
    out.table(
        ("DAY", "CUSTOMER", "SUBSCRIPTION", "FOR", "AMOUNT", "", "ID"),
        [
            (
                each.day.isoformat(),
                each.organisation,
                each.subscription,
                each.description,
                money(each.amount, each.currency),
                "withdrawn" if each.withdrawn_at else "",
                str(each.id),
            )
            for each in found
        ],
        right=("AMOUNT",),
    )


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show charges."""
    found = client.one_off_charges.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("nothing was charged by hand; do it with: gradumen one-off-charges enter")
    return 0


def run_enter(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Charge."""
    made = client.one_off_charges.enter(
        OneOffChargeCreate(
            seller=own_organisation(arguments),
            organisation=arguments.customer,
            subscription=arguments.subscription,
            day=arguments.day,
            description=arguments.description,
            amount=arguments.amount,
            currency=arguments.currency,
        )
    )
    out.body(made)
    _show([made], out)
    return 0


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take back."""
    made = client.one_off_charges.withdraw(arguments.charge)
    out.body(made)
    out.say(f"withdrawn: {made.description}, {money(made.amount, made.currency)}; what is billed of it comes back")
    return 0
