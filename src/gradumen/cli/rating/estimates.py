"""gradumen estimates: what something would cost."""

import argparse
from datetime import date
from pathlib import Path
from typing import Any

from gradumen.cli.files import load
from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, money, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.rating.estimates import EstimateAsked, ExpectedUse


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "estimates", "what a plan would cost, and what a rate card prices of it")
    price = verbs.add("price", run_price, "what a tier would cost an organisation over a term, net of tax")
    price.add_argument("organisation")
    price.add_argument("plan", metavar="PLAN/TIER")
    price.add_argument("--months", type=int, default=1)
    price.add_argument("--quantity", type=int, default=1)
    price.add_argument("--from", dest="first_day", type=date.fromisoformat, metavar="DAY", help="by default today")
    price.add_argument("--rate-card", help="another card of the seller")
    price.add_argument(
        "--use",
        action="append",
        default=[],
        metavar="METER=QUANTITY,UNIT[,ATTRIBUTE=VALUE...]",
        help="expected in a month, like compute/vcpu=1460,vCPU-hour,size=large; can be given several times",
    )
    coverage = verbs.add("coverage", run_coverage, "which meters of a plan no rate of a card prices")
    coverage.add_argument("plan")
    coverage.add_argument("files", type=Path, nargs="*", metavar="FILE", help="rate cards to look at before publishing")
    add_organisation(coverage)


def _use(written: str) -> ExpectedUse:
    meter, _, rest = written.partition("=")
    amount, *more = rest.split(",")
    if not amount or not more:
        message = f"'{written}' is not METER=QUANTITY,UNIT; write it like compute/vcpu=1460,vCPU-hour"
        raise Invalid(message, field="use", value=written)
    attributes = dict(each.partition("=")[::2] for each in more[1:])
    return ExpectedUse(meter=meter, quantity=amount, unit=more[0], attributes=attributes)


def run_price(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Estimate."""
    plan, _, tier = arguments.plan.partition("/")
    found = client.estimates.price(
        EstimateAsked(
            organisation=arguments.organisation,
            plan=plan,
            tier=tier,
            quantity=arguments.quantity,
            first_day=arguments.first_day,
            months=arguments.months,
            expected=[_use(each) for each in arguments.use],
            rate_card=arguments.rate_card,
        )
    )
    out.body(found)
    previous = None
    for month in found.months:
        lines = [
            (each.description, quantity(each.quantity), each.unit, money(each.amount, found.currency))
            for each in month.lines
        ]
        if lines == previous:
            out.say(f"{month.period}: the same, {money(month.total, found.currency)} {found.currency}")
            continue
        previous = lines
        out.say(f"{month.period}")
        out.table(
            ("WHAT", "QUANTITY", "UNIT", found.currency),
            [*lines, ("total", "", "", money(month.total, found.currency))],
            right=("QUANTITY", found.currency),
        )
    out.say(f"{len(found.months)} months: {money(found.total, found.currency)} {found.currency} net of tax")
    if found.renews_on is not None:
        out.say(f"renews on {found.renews_on}, from then on by {found.seller}/{found.renewal_card}")
    for meter in found.not_priced:
        out.say(f"nothing prices {meter}: it is not in this estimate")
    return 0


def run_coverage(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is priced; exit 1 where something is not."""
    found = client.estimates.coverage(own_organisation(arguments), arguments.plan, load(arguments.files))
    out.body(found)
    rows = [
        (card.rate_card, meter.meter, meter.state, "; ".join(meter.only_where))
        for card in found
        for meter in card.meters
    ]
    out.table(("RATE CARD", "METER", "", "WHERE"), rows)
    for card in found:
        if card.tiers_without_fee:
            out.say(f"{card.rate_card}: no fee for {', '.join(card.tiers_without_fee)}")
    if not found:
        out.say("no rate cards yet; publish one with: gradumen catalogue publish")
    return 1 if any(meter.state == "not priced" for card in found for meter in card.meters) else 0
