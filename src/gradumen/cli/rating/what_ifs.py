"""gradumen what-ifs: what a period would have come to with other rate cards."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from uuid import UUID

from gradumen.cli.files import load
from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out, money
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.exact import add
from gradumen.wire.rating.what_ifs import WhatIfAmountBody, WhatIfBody, WhatIfFigures

SHOWN = 40
"""Amounts that are shown of a what-if, the largest differences first."""


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "what-ifs", "what a month would have come to with other rate cards; changes nothing")
    ask = verbs.add("ask", run_ask, "price a month again with rate cards from files, and wait for it")
    ask.add_argument("period", help="like 2026-10")
    ask.add_argument("files", type=Path, nargs="+", metavar="FILE")
    add_organisation(ask)
    listing = verbs.add("list", run_list, "what was asked in the last 90 days, newest first")
    add_organisation(listing)
    for name, run, text in (
        ("show", run_show, "one what-if: sums by service, and the largest differences"),
        ("amounts", run_amounts, "what each customer's charges would have come to"),
    ):
        verb = verbs.add(name, run, text)
        verb.add_argument("what_if", metavar="WHAT-IF", help="its id, or the beginning of it")
        add_organisation(verb)
    verb.add_argument("--differing", action="store_true", help="only where it differs")


def run_ask(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Price again."""
    asked = client.what_ifs.ask(own_organisation(arguments), arguments.period, load(arguments.files))
    with out.following() as tell:
        found = client.what_ifs.wait(asked.id, tell=tell)
    return _show(found, client, out)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what was asked."""
    found = client.what_ifs.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("WHAT-IF", "PERIOD", "WITH", "STATE", "ASKED, UTC", "BY"),
        [
            (
                str(each.id)[:8],
                each.period,
                ", ".join(card.rate_card for card in each.cards),
                each.state,
                f"{each.asked_at:%Y-%m-%d %H:%M}",
                each.asked_by,
            )
            for each in found
        ],
    )
    if not found:
        out.say("nothing was asked yet; ask with: gradumen what-ifs ask PERIOD FILE")
    return 0


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one."""
    return _show(client.what_ifs.get(_find(arguments, client)), client, out)


def run_amounts(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show all amounts of one."""
    found = client.what_ifs.amounts(_find(arguments, client), differing=arguments.differing)
    out.body(found)
    _table(found, out)
    if not found:
        out.say("nothing differs" if arguments.differing else "nothing was sold in that month")
    return 0


def _find(arguments: argparse.Namespace, client: Client) -> UUID:
    seller = own_organisation(arguments)
    return by_beginning(
        arguments.what_if,
        lambda: [each.id for each in client.what_ifs.list(seller, limit=500)],
        field="what_if",
        noun="what-if",
    )


def _show(found: WhatIfBody, client: Client, out: Out) -> int:
    out.body(found)
    if found.state != "done":
        out.note(f"the what-if is {found.state}" + (f": {found.problem}" if found.problem else ""))
        return 1
    cards = ", ".join(f"{card.name} ({card.rate_card})" for card in found.cards)
    out.say(f"{found.period} with {cards}, what-if {str(found.id)[:8]}")
    out.table(
        ("SERVICE", "", "CAME TO", "WOULD HAVE", "DIFFERENCE", "DIFFERS FOR"),
        [
            (
                each.service_name,
                each.currency,
                *_moneys(each),
                f"{each.differing} of {each.buyers}",
            )
            for each in found.sums
        ],
        right=("CAME TO", "WOULD HAVE", "DIFFERENCE", "DIFFERS FOR"),
    )
    if not out.json and any(each.differing for each in found.sums):
        _show_largest(found, client, out)
    for currency in sorted({each.currency for each in found.sums}):
        difference = add([each.difference for each in found.sums if each.currency == currency])
        more = f"+{money(difference, currency)}" if difference > 0 else money(difference, currency)
        out.say(f"{found.period} in all, {currency}: {more if difference else 'the same'}")
    for gap in found.not_priced:
        out.say(f"nothing would have priced {gap.meter_name} ({gap.meter}) of {gap.buyers} customers")
    if not found.sums:
        out.say("nothing was sold in that month")
    return 0


def _show_largest(found: WhatIfBody, client: Client, out: Out) -> None:
    amounts = sorted(client.what_ifs.amounts(found.id, differing=True), key=lambda each: -abs(each.difference))
    _table(amounts[:SHOWN], out)
    if len(amounts) > SHOWN:
        out.say(f"and {len(amounts) - SHOWN} more; all: gradumen what-ifs amounts {str(found.id)[:8]} --differing")


def _table(amounts: Sequence[WhatIfAmountBody], out: Out) -> None:
    out.table(
        ("CUSTOMER", "SERVICE", "", "CAME TO", "WOULD HAVE", "DIFFERENCE"),
        [(each.buyer, each.service_name, each.currency, *_moneys(each)) for each in amounts],
        right=("CAME TO", "WOULD HAVE", "DIFFERENCE"),
    )


def _moneys(of: WhatIfFigures) -> tuple[str, str, str]:
    return money(of.before, of.currency), money(of.after, of.currency), money(of.difference, of.currency)
