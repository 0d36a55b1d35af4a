"""gradumen exchange-rates."""

import argparse
import csv
import io
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, figure, number
from gradumen.wire.metering.exchange_rates import ExchangeRateBody, ExchangeRateItem

HEAD = ("OF", "IN", "FROM", "RATE", "SOURCE")
_COLUMNS = ("currency", "into", "starts_on", "rate", "source")


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "exchange-rates", "what imported costs are worth in the currency that they are sold in")
    add_organisation(verbs.add("list", run_list, "all of them, by currencies and day"))
    one = verbs.add("set", run_set, "say what one unit is worth from a day on; safe to repeat")
    one.add_argument("currency", help="of costs, like SEK")
    one.add_argument("into", help="what they are sold in, like EUR")
    one.add_argument("rate", help="what one unit of the first is worth in the second")
    one.add_argument("--starts-on", required=True, type=date.fromisoformat, metavar="DAY")
    one.add_argument("--source", required=True, help="where it is from")
    many = verbs.add("load", run_load, f"the same from a .csv file with the columns {', '.join(_COLUMNS)}")
    many.add_argument("file", type=Path)
    for verb in (one, many):
        add_organisation(verb)


def _row(each: ExchangeRateBody) -> tuple[str, ...]:
    return each.currency, each.into, str(each.starts_on), figure(each.rate), each.source


def _show(found: list[ExchangeRateBody], out: Out) -> int:
    out.body(found)
    out.table(HEAD, map(_row, found), right=("RATE",))
    if not found:
        out.say("no exchange rates: costs are sold in the currency that they come in")
    return 0


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show rates."""
    return _show(client.exchange_rates.list(own_organisation(arguments)), out)


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set one."""
    item = ExchangeRateItem(
        currency=arguments.currency,
        into=arguments.into,
        starts_on=arguments.starts_on,
        rate=_rate(arguments.rate),
        source=arguments.source,
    )
    return _show(client.exchange_rates.set(own_organisation(arguments), [item]), out)


def run_load(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set those of a file."""
    rows = csv.DictReader(io.StringIO(arguments.file.read_text(encoding="utf-8-sig")))
    missing = [each for each in _COLUMNS if each not in (rows.fieldnames or ())]
    if missing:
        raise Invalid(f"the file has no column {', '.join(missing)}", field="file")
    items = []
    for line, row in enumerate(rows, 2):
        try:
            items.append(ExchangeRateItem.model_validate({name: row[name] for name in _COLUMNS}))
        except ValueError as error:
            raise Invalid(f"line {line}: {error}", field="file") from error
    return _show(client.exchange_rates.set(own_organisation(arguments), items), out)


def _rate(raw: str) -> Decimal:
    return number(raw, field="rate", places=AMOUNT_PLACES)
