"""Spend as a file: a row for each value of the chosen dimensions, exact, for spreadsheets and other programs."""

from collections.abc import Sequence
from io import BytesIO

import polars as pl

from gradumen.core.exact import AMOUNT_PLACES, text
from gradumen.documents.spreadsheets import safe
from gradumen.wire.spend.spend import SpendBody, SpendRowBody

FORMATS = {"csv": "text/csv; charset=utf-8", "parquet": "application/vnd.apache.parquet"}
"""Media types by format."""
_AMOUNT = pl.Decimal(38, AMOUNT_PLACES)


def write_spend(found: SpendBody, format: str) -> bytes:
    """A file of spend (`docs/formats.md`, Files of spend).

    Columns: currency, id and name of each dimension, amount; before where it is compared; of what is
    sold each currency's cost, and the margin. CSV has a row of names first (RFC 4180), Parquet decimals of 12 places.
    """
    names = [name.replace("-", "_") for name in found.by]
    texts = ["currency", *(f"{name}{end}" for name in names for end in ("_id", ""))]
    amounts = ["amount", *([] if {"month", "day"} & set(found.by) else ["before"])]
    if found.side == "sold":
        currencies = {cost.currency for each in found.currencies for row in each.rows for cost in row.costs}
        amounts += [*(f"cost_{currency.lower()}" for currency in sorted(currencies)), "margin"]
    rows = [_row(names, amounts, each.currency, row) for each in found.currencies for row in each.rows]
    frame = pl.DataFrame(rows, schema=dict.fromkeys((*texts, *amounts), pl.String))
    written = BytesIO()
    if format == "csv":
        # No spreadsheet may take a name for a formula.
        frame.with_columns(safe(name) for name in texts).write_csv(written, line_terminator="\r\n")
    else:
        frame.with_columns(pl.col(name).cast(_AMOUNT) for name in amounts).write_parquet(written)
    return written.getvalue()


def _row(names: Sequence[str], amounts: Sequence[str], currency: str, row: SpendRowBody) -> dict[str, str | None]:
    figures = {"amount": row.amount, "before": row.before, "margin": row.margin}
    figures |= {f"cost_{cost.currency.lower()}": cost.amount for cost in row.costs}
    known = {"currency": currency}
    for name, key in zip(names, row.keys, strict=True):
        known |= {f"{name}_id": key.id or "", name: key.name}
    written = {name: None if (value := figures.get(name)) is None else text(value) for name in amounts}
    return {**known, **written}
