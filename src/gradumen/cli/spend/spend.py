"""gradumen spend."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, money, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.exact import add


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "spend", "what things cost")
    show = verbs.add("period-so-far", run_period_so_far, "the lines a draft would have now, per link you may see")
    show.add_argument("--period", metavar="YYYY-MM", help="by default the one under way")
    show.add_argument("--totals", action="store_true", help="only the total of each link")
    add_organisation(show)
    add_wait(show)
    earned = verbs.add("margins", run_margins, "what you charged in a month, by buyer and service, and what it cost")
    earned.add_argument("--period", metavar="YYYY-MM", help="by default the one under way")
    add_organisation(earned)
    add_wait(earned)


def run_period_so_far(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the period so far."""
    found = client.spend.period_so_far(own_organisation(arguments), arguments.period, wait=arguments.wait)
    out.body(found)
    if arguments.totals:
        out.table(
            ("SELLER", "BUYER", "PERIOD", "LINES", "NET", "CURRENCY"),
            [
                (
                    each.seller,
                    each.buyer,
                    each.period,
                    str(len(each.lines)),
                    money(each.net, each.currency),
                    each.currency,
                )
                for each in found.links
            ],
            right=("LINES", "NET"),
        )
    else:
        for link in found.links:
            out.say(
                f"{link.seller} → {link.buyer}, {link.period}: {money(link.net, link.currency)} {link.currency} net"
            )
            out.table(
                ("ORGANISATION", "DESCRIPTION", "QUANTITY", "UNIT", link.currency),
                [
                    (
                        f"{line.organisation}/{line.project}" if line.project else line.organisation,
                        line.description,
                        quantity(line.quantity),
                        line.unit,
                        money(line.amount, link.currency),
                    )
                    for line in link.lines
                ],
                right=("QUANTITY", link.currency),
            )
            for each in link.not_priced:
                out.say(
                    f"  not priced: {quantity(each.quantity)} of {each.meter} of {each.organisation}, {each.reason}"
                )
            out.say()
    if not found.links:
        out.say("nothing is charged here; subscribe with: gradumen subscriptions create")
    for stuck in found.problems:
        out.note(f"{stuck.seller} → {stuck.buyer}, {stuck.period} cannot be brought up to date: {stuck.problem}")
    out.as_of(found)
    return 0


def run_margins(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what a month came to."""
    found = client.spend.margins(own_organisation(arguments), arguments.period, wait=arguments.wait)
    out.body(found)
    rows = [
        (
            row.buyer,
            row.service_name,
            money(row.charged, row.currency),
            ", ".join(f"{money(cost.amount, cost.currency)} {cost.currency} {cost.source}" for cost in row.costs),
            money(row.margin, row.currency) if row.margin is not None else "",
            f"{row.percent} %" if row.percent is not None else "",
            row.currency,
        )
        for row in found.rows
    ]
    out.table(
        ("BUYER", "SERVICE", "CHARGED", "COST", "MARGIN", "SHARE", ""),
        rows,
        right=("CHARGED", "COST", "MARGIN", "SHARE"),
    )
    for currency in sorted({row.currency for row in found.rows}):
        same = [row for row in found.rows if row.currency == currency]
        margins = [row.margin for row in same if row.margin is not None]
        earned = (
            f"{money(add(margins), currency)} earned"
            if len(margins) == len(same)
            else "of which cost in another currency is not taken off"
        )
        out.say(
            f"{found.period} in all: {money(add([row.charged for row in same]), currency)} {currency} charged, {earned}"
        )
    if found.cost_not_known:
        out.say(f"no cost card prices {', '.join(found.cost_not_known)}: its cost is not in this")
    if not found.rows:
        out.say("nothing was sold or used in that month")
    out.as_of(found)
    return 0
