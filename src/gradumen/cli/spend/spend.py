"""gradumen spend."""

import argparse
from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from gradumen.cli.explanations import show_arithmetic
from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, money, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.wire.spend.spend import LinkComparisonBody, SpendCurrencyBody, SpendKeyBody, SpendRowBody

_NOTHING = Decimal(0)
ESTIMATED = "is estimated, until suppliers' files state those days"


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "spend", "what things cost")
    show = verbs.add("period-so-far", run_period_so_far, "the lines a draft would have now, per link you may see")
    show.add_argument("--period", metavar="YYYY-MM", help="by default the one under way")
    show.add_argument("--totals", action="store_true", help="only the total of each link")
    add_organisation(show)
    add_wait(show)
    shown = verbs.add("show", run_show, "spend by one or two of what it can be told apart by, the largest and the rest")
    listed = verbs.add("charges", run_charges, "the charges behind spend, billed or not, the largest first")
    for each in (shown, listed):
        _add_choices(each)
    listed.add_argument("--limit", type=int, default=20)
    explain = verbs.add("explain", run_explain, "why a charge that is not billed yet is what it is")
    explain.add_argument("charge", help="its id, of spend charges")
    compare = verbs.add("compare", run_compare, "documents, period so far and spend of your links beside each other")
    compare.add_argument("period", metavar="YYYY-MM")
    add_organisation(compare)
    add_wait(compare)
    shown.add_argument(
        "--by", action="append", metavar="WHAT",
        help="buyer, organisation, project, cost-centre, plan, service, meter, resource, region, month or day; "
        "may be given twice; by default service",
    )  # fmt: skip
    shown.add_argument(
        "--file", type=_file, metavar="PATH", help="write it there instead, every value by itself: .csv or .parquet"
    )
    shown.add_argument("--top", type=int, default=12, help="how many stand by themselves; by default 12")
    add_wait(shown)
    earned = verbs.add("margins", run_margins, "what you charged in a month, by buyer and service, and what it cost")
    earned.add_argument("--period", metavar="YYYY-MM", help="by default the one under way")
    add_organisation(earned)
    add_wait(earned)


def _add_choices(shown: argparse.ArgumentParser) -> None:
    """Whose spend, of which days, and only what."""
    shown.add_argument("--side", choices=("bought", "sold"), help="what is paid, or what customers are charged")
    shown.add_argument("--month", metavar="YYYY-MM", help="a month; by default the one under way")
    shown.add_argument("--from", dest="first", type=_day, metavar="YYYY-MM-DD", help="the first day")
    shown.add_argument("--to", dest="last", type=_day, metavar="YYYY-MM-DD", help="the last day")
    shown.add_argument(
        "--only", action="append", metavar="WHAT:VALUE", default=[], help="only this, like service:compute; repeatable"
    )
    add_organisation(shown)


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
            if link.estimated:
                out.say(f"  {money(link.estimated, link.currency)} {link.currency} of it {ESTIMATED}")
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


def _day(raw: str) -> date:
    try:
        return date.fromisoformat(raw)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{raw}' is no day; write it like 2026-09-01") from None


def _file(raw: str) -> Path:
    path = Path(raw)
    if path.suffix not in (".csv", ".parquet"):
        raise argparse.ArgumentTypeError(f"'{raw}' does not say which format; end it with .csv or .parquet")
    return path


def _range(arguments: argparse.Namespace) -> tuple[date | None, date | None]:
    """The first day, and the one after the last."""
    if arguments.month:
        if arguments.first or arguments.last:
            raise Invalid("give --month, or --from and --to", field="month", value=arguments.month)
        month = Period.parse(arguments.month)
        return month.first_day, month.next().first_day
    if bool(arguments.first) != bool(arguments.last):
        raise Invalid("--from and --to belong together", field="from")
    return arguments.first, arguments.last + timedelta(days=1) if arguments.last else None


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show spend by what is asked for."""
    first, end = _range(arguments)
    asked = {"side": arguments.side, "first": first, "end": end, "only": arguments.only}
    seller, by = own_organisation(arguments), arguments.by or ["service"]
    if arguments.file:
        arguments.file.write_bytes(client.spend.file(seller, by=by, format=arguments.file.suffix[1:], **asked))
        out.say(f"written to {arguments.file}")
        return 0
    found = client.spend.show(seller, by=by, top=arguments.top, wait=arguments.wait, **asked)
    out.body(found)
    sold = found.side == "sold"
    side = "Sold by" if sold else "Bought by"
    out.say(f"{side} {found.organisation_name}, {_days(found.from_day, found.to_day)}, net of tax")
    for each in found.currencies:
        _show_currency(out, each, found.by, sold=sold)
    if not found.currencies:
        out.say("nothing is charged in these days")
    elif not {"month", "day"} & set(found.by):
        out.say(f"change is against {_days(found.before_from, found.before_to)}")
    out.as_of(found)
    return 0


def run_charges(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the charges behind spend."""
    first, end = _range(arguments)
    found = client.spend.charges(
        own_organisation(arguments),
        side=arguments.side,
        first=first,
        end=end,
        only=arguments.only,
        limit=arguments.limit,
    )
    out.body(found)
    out.table(
        ("ID", "OF", "CHARGE", "AMOUNT", ""),
        [
            (each.id, each.organisation, each.description, money(each.amount, each.currency), each.currency)
            for each in found.items
        ],
        right=("AMOUNT",),
    )
    if not found.items:
        out.say("nothing is charged in these days")
    if found.more:
        out.say(f"the largest {len(found.items)}; see more with --limit")
    out.as_of(found)
    return 0


def run_explain(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the arithmetic of a charge."""
    found = client.spend.explain(arguments.charge)
    out.body(found)
    out.say(f"{found.description}, {found.organisation}, {found.subscription}, {found.period}")
    show_arithmetic(out, found.explanation, rate_card=found.rate_card, currency=found.currency)
    out.say(f"on documents: {money(found.amount, found.currency)} {found.currency}")
    return 0


def _show_currency(out: Out, found: SpendCurrencyBody, by: Sequence[str], *, sold: bool) -> None:
    # Where days or months are told apart there is nothing to compare a row with.
    changes = found.total.change_percent is not None and not {"month", "day"} & set(by)
    head = [*(name.upper() for name in by), found.currency, *(["MARGIN"] if sold else [])]
    head += ["CHANGE"] if changes else []

    def cells(row: SpendRowBody, names: Sequence[str]) -> list[str]:
        margin = [money(row.margin, found.currency) if row.margin is not None else ""] if sold else []
        change = "" if row.change_percent is None else f"{row.change_percent:+} %".replace("-", "\u2212")
        return [*names, money(row.amount, found.currency), *margin, *([change] if changes else [])]

    rows = [cells(row, [_key(key, row.others) for key in row.keys]) for row in found.rows]
    rows.append(cells(found.total, ["in all", *[""] * (len(by) - 1)]))
    out.table(head, rows, right=(found.currency, "MARGIN", "CHANGE"))
    parts = (("billed", found.billed), ("on drafts", found.on_drafts), ("to bill", found.to_bill))
    told = [f"{money(amount, found.currency)} {name}" for name, amount in parts if amount]
    out.say(", ".join(told))
    if found.estimated:
        out.say(f"{money(found.estimated, found.currency)} of it {ESTIMATED}")
    out.say()


def _key(key: SpendKeyBody, others: int) -> str:
    return f"the rest ({others})" if key.id is None else key.name


def _days(first: date, end: date) -> str:
    return f"{first} to {end - timedelta(days=1)}"


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
            f"{money(add(margins), currency)} margin"
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


def run_compare(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them for each link; 1 where period so far and spend differ."""
    seller, month = own_organisation(arguments), Period.parse(arguments.period)
    found = client.spend.compare(seller, month.text, wait=arguments.wait)
    out.body(found)
    head = ("BUYER", "DOCUMENTS", "PERIOD", "SPEND", "DIFFERENCE", "TO BILL", "")
    out.table(head, [_compared(each) for each in found], right=head[1:6])
    same = all(each.period == each.spend for each in found)
    out.say(f"{len(found)} links of {seller} in {month.text}: period and spend {'are the same' if same else 'differ'}")
    return 0 if same else 1


def _compared(each: LinkComparisonBody) -> tuple[str, ...]:
    differences = add([each.period, -each.spend]), add([each.period, -each.documents])
    amounts = (each.documents, each.period, each.spend, *differences)
    return each.buyer, *(money(amount, each.currency) for amount in amounts), each.currency
