"""gradumen tax-rates."""

import argparse
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.billing.documents import TAX_CATEGORIES, category_words


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "tax-rates", "a seller's tax per country of the buyer")
    listing = verbs.add("list", run_list, "by country and day")
    add_organisation(listing)
    setting = verbs.add("set", run_set, "set a rate from a day on; safe to repeat")
    setting.add_argument("country")
    setting.add_argument("percent", type=Decimal)
    setting.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    setting.add_argument(
        "--category",
        default="S",
        help="of EN 16931: " + "; ".join(map(category_words, TAX_CATEGORIES)),
    )
    add_organisation(setting)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show tax rates."""
    found = client.tax_rates.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("COUNTRY", "FROM", "CATEGORY", "PERCENT"),
        [
            (
                each.country,
                each.starts_on.isoformat(),
                category_words(each.category),
                quantity(each.percent),
            )
            for each in found
        ],
        right=("PERCENT",),
    )
    if not found:
        out.say("no tax rates yet; set one with: gradumen tax-rates set")
    return 0


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a tax rate."""
    made = client.tax_rates.set(
        own_organisation(arguments),
        country=arguments.country,
        percent=arguments.percent,
        starts_on=arguments.starts_on,
        category=arguments.category,
    )
    out.body(made)
    out.say(f"{made.country}: {quantity(made.percent)} % ({category_words(made.category)}) from {made.starts_on}")
    return 0
