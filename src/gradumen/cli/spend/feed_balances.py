"""gradumen feed-balances."""

import argparse
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.exact import money
from gradumen.core.units import counted
from gradumen.wire.spend.feed_balances import FeedBalanceBody, FeedBalancesBody, FeedCostBody, FeedMeterBody

WORDS = {
    "measured": "came in",
    "charged": "charged",
    "covered": "covered by allowances",
    "watched": "only watched",
    "together": "charged with its composite or as its components",
    "own_use": "used by the seller itself",
    "elsewhere": "used where it is not sold",
    "nobodys": "nobody's",
    "gave_way": "counted by a feed to which it gives way",
    "twice": "measured by another feed too",
    "no_rate": "no rate prices it",
    "no_subscription": "no subscription takes it",
    "difference": "not accounted for",
}
"""What became of what came in, in words."""


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "feed-balances", "what became of all that came in by feeds, signed off month by month")
    show = verbs.add("show", run_show, "of all that came in by a seller's feeds in a month, what became of it")
    show.add_argument("--period", required=True, metavar="YYYY-MM")
    show.add_argument("--feed", metavar="ORGANISATION/FEED", help="only of this one")
    add_organisation(show)
    add_wait(show)
    sign = verbs.add("sign-off", run_sign_off, "sign a feed's month off as it is now")
    withdraw = verbs.add("withdraw", run_withdraw, "take a sign-off back")
    for verb in (sign, withdraw):
        verb.add_argument("feed", metavar="ORGANISATION/FEED")
        verb.add_argument("--period", required=True, metavar="YYYY-MM")
    sign.add_argument("--reason", help="why, where sums are open")


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show balances; exit 1 where something that came in is not accounted for."""
    seller = arguments.feed.partition("/")[0] if arguments.feed else own_organisation(arguments)
    found = client.feed_balances.get(seller, arguments.period, feed=arguments.feed, wait=arguments.wait)
    _show(found, out)
    if not found.items:
        out.say("no feeds yet; make one with: gradumen feeds create")
    lacking = any("difference" in item.open for item in found.items)
    return 1 if lacking and not found.waiting else 0


def run_sign_off(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Sign a month off."""
    _show(client.feed_balances.sign_off(arguments.feed, arguments.period, arguments.reason), out)
    return 0


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a sign-off back."""
    client.feed_balances.withdraw(arguments.feed, arguments.period)
    out.say(f"{arguments.feed} {arguments.period} is not signed off")
    return 0


def _show(found: FeedBalancesBody, out: Out) -> None:
    out.body(found)
    for item in found.items:
        out.say(f"{item.feed_name} ({item.feed}), {found.period}: {_state(item, over=found.over)}")
        out.table(("WHAT", "", "QUANTITY", "LOOK AT"), list(_rows(item)), right=("QUANTITY",))
        if item.unknown:
            out.say(
                f"{counted(item.unknown, 'reading')} of unknown kind; see: gradumen kind-rules unknown {found.period}"
            )
        if item.refused:
            out.say(f"{item.refused} refused of what came in this month; see: gradumen deliveries list {item.feed}")
        out.say()
    out.as_of(found)


def _state(item: FeedBalanceBody, *, over: bool) -> str:
    signed = item.sign_off
    if signed is None:
        nothing = not item.meters and not item.costs
        said = "open sums" if item.open else "nothing came in" if nothing else "all accounted for"
        return f"{said}, not signed off" if over else f"{said}, the month is not over"
    said = f"signed off by {signed.by} on {signed.at:%Y-%m-%d}"
    said += f" with open sums: {signed.reason}" if signed.is_open else ""
    return f"{said}; it is another now" if signed.changed else said


def _rows(item: FeedBalanceBody) -> Iterator[tuple[str, str, str, str]]:
    for meter in item.meters:
        came = f"{meter.readings} readings" + "".join(
            f", {count} {word}"
            for count, word in (
                (meter.divided, "of them divided among several"),
                (meter.replaced, "replaced"),
                (meter.taken_back, "taken back"),
                (meter.inferred, "ended as later lists miss them"),
            )
            if count
        )
        yield meter.meter_name, came, "sampled" if meter.measured is None else "", ", ".join(meter.open)
        yield from (("", words, in_short(quantity, meter.unit), "") for words, quantity in _told(meter))
    for cost in item.costs:
        replaced = f", {cost.replaced} replaced" if cost.replaced else ""
        yield "Billed costs", f"{cost.rows} rows{replaced}", "", ", ".join(cost.open)
        yield from (
            ("", words, f"{money(amount, cost.currency)} {cost.currency}", "") for words, amount in _told_costs(cost)
        )


def _told(meter: FeedMeterBody) -> Iterator[tuple[str, Decimal]]:
    for name, words in WORDS.items():
        quantity = getattr(meter, name)
        if quantity or (name == "measured" and quantity is not None):
            yield words, quantity


def _told_costs(cost: FeedCostBody) -> Iterator[tuple[str, Decimal]]:
    yield "came in", cost.billed
    for words, amount in (
        ("estimated until a file states it, of this", cost.estimated),
        ("the suppliers' tax, left out", cost.tax),
        ("somebody's", cost.owned),
        ("nobody's", cost.nobodys),
        ("divided among several, of these", cost.divided),
        ("without an exchange rate, of these", cost.no_exchange_rate),
        ("not accounted for", cost.difference),
    ):
        if amount:
            yield words, amount
