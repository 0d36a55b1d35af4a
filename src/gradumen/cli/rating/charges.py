"""gradumen charges: why is this number what it is?"""

import argparse
from collections import defaultdict
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.cli.explanations import show_arithmetic
from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out, money, quantity
from gradumen.client import Client
from gradumen.core.exact import add


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "charges", "why an amount is what it is")
    explain = verbs.add("explain", run_explain, "rate card version, rate, quantity, arithmetic, parts")
    explain.add_argument("charge", type=UUID, help="charge_id of an invoice line (invoices show --json)")
    readings = verbs.add("readings", run_readings, "the readings a charge was made from")
    readings.add_argument("charge", type=UUID)
    readings.add_argument("--limit", type=int, default=50)


def run_explain(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Explain."""
    found = client.charges.explain(arguments.charge)
    out.body(found)
    show_arithmetic(out, found.explanation, rate_card=found.rate_card, currency=found.currency)
    out.say(f"this charge: {quantity(found.amount)} {found.currency}")
    amounts: dict[str, list[Decimal]] = defaultdict(list)
    for part in found.parts:
        amounts[part.resource or part.project or "fee"].append(part.amount)
    sums = {name: add(each) for name, each in amounts.items()}
    largest = sorted(sums.items(), key=lambda pair: -pair[1])
    out.table(
        ("RESOURCE", found.currency),
        [(name, money(amount, found.currency)) for name, amount in largest[:20]],
        right=(found.currency,),
    )
    return 0


def run_readings(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show readings."""
    found = client.charges.readings(arguments.charge, limit=arguments.limit)
    out.body(found)
    out.table(
        ("FEED", "ID", "RESOURCE", "START", "END", "QUANTITY", "SENT AS"),
        [
            (
                each.feed,
                each.event_id,
                each.resource,
                f"{each.start:%m-%d %H:%M}",
                f"{each.end:%m-%d %H:%M}",
                quantity(each.quantity),
                each.sent or "",
            )
            for each in found
        ],
        right=("QUANTITY",),
    )
    return 0
