"""Rows of a cost file as columns: read once per distinct facts and times, numbers all at once."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import TypeVar

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, scaled
from gradumen.core.metering.imported_costs import MOST, MOST_USED, READ, CostFacts, read_facts, read_number, read_times

AMOUNTS = {"BilledCost": "billed", "EffectiveCost": "effective", "ListCost": "listed", "ContractedCost": "contracted"}
USED = "ConsumedQuantity"
TIMES = ("BillingPeriodStart", "BillingPeriodEnd", "ChargePeriodStart", "ChargePeriodEnd")
FACTS = tuple(each for each in READ if each not in AMOUNTS and each not in TIMES and each != USED)
LINE = "line"
"""The column of lines in a file, which no file's column is called."""
_PLAIN = r"^-?[0-9]{1,12}(\.[0-9]{1,40})?$"
"""Numbers that are read all at once; none of them is beyond what a row may cost."""
_NULL = r"^\s*(null|NULL)?\s*$"
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class CostFrame:
    """Rows that can be read, in their order, and what is wrong with the others.

    ``rows`` has ``line``, ``fact`` (a place in ``facts``), ``month``, ``day``, and ``billed``, ``effective``,
    ``listed``, ``contracted`` and ``quantity`` (or null) in 10**-12. ``wrong`` are lines with what is wrong there.
    """

    facts: Sequence[CostFacts]
    rows: pl.DataFrame
    wrong: Sequence[tuple[int, str]]


def read_frame(cells: pl.DataFrame, latest: date) -> CostFrame:
    """Read rows of texts; a row reads the same in whatever company.

    >>> cells = {"BilledCost": ["1.5", "x"], "EffectiveCost": ["1e-1", "1"], "ListCost": ["2", "2"],
    ...     "ContractedCost": ["2", "2"], "BillingAccountId": ["A-1"] * 2, "BillingCurrency": ["EUR"] * 2,
    ...     "BillingPeriodStart": ["2026-11-01"] * 2, "BillingPeriodEnd": ["2026-12-01"] * 2,
    ...     "ChargeCategory": ["Usage"] * 2, "ServiceName": ["Machines"] * 2,
    ...     "ChargePeriodStart": ["2026-11-03"] * 2, "ChargePeriodEnd": ["2026-11-04"] * 2, "line": [2, 3]}
    >>> frame = read_frame(pl.DataFrame(cells), date(2026, 12, 1))
    >>> frame.rows.select("line", "day", "billed", "effective").rows()
    [(2, datetime.date(2026, 11, 3), 1500000000000, 100000000000)]
    >>> frame.wrong
    [(3, "BilledCost 'x' is no number; write it like -1234.56")]

    Args:
        cells: a column of texts for each that is read, and ``line``.
        latest: the last day on which a charge may begin.
    """
    problems: dict[int, str] = {}
    lines = cells[LINE].to_list()
    times, time = _each_once(cells, TIMES, lambda row: read_times(row, latest), lines, problems)
    facts, fact = _each_once(cells, FACTS, read_facts, lines, problems)
    numbers = [
        *(_numbers(cells[column], column, name, MOST, lines, problems) for column, name in AMOUNTS.items()),
        _used(cells, lines, problems),
    ]
    places = pl.Series("time", time, dtype=pl.Int32)
    months, days = ([None if each is None else each[side] for each in times] for side in (0, 1))
    rows = pl.DataFrame(
        [
            cells[LINE],
            pl.Series("fact", fact, dtype=pl.Int32),
            pl.Series("month", months, dtype=pl.Date).gather(places),
            pl.Series("day", days, dtype=pl.Date).gather(places),
            *numbers,
        ]
    )
    if problems:
        rows = rows.filter(~pl.col(LINE).is_in(list(problems)))
    kept = [each for each in facts if each is not None]
    if len(kept) != len(facts):
        moved = {old: new for new, old in enumerate(place for place, each in enumerate(facts) if each is not None)}
        rows = rows.with_columns(pl.col("fact").replace_strict(moved, return_dtype=pl.Int32))
    return CostFrame(kept, rows, sorted(problems.items()))


def _each_once(
    cells: pl.DataFrame,
    columns: Sequence[str],
    read: Callable[[Mapping[str, str]], T],
    lines: Sequence[int],
    problems: dict[int, str],
) -> tuple[list[T | None], pl.Series]:
    """What each distinct row of some columns says, and which of them each row is."""
    there = [each for each in columns if each in cells.columns]
    groups = cells.with_row_index("at").group_by(there, maintain_order=True).agg("at")
    found: list[T | None] = []
    for *texts, at in groups.iter_rows():
        try:
            found.append(read({column: text or "" for column, text in zip(there, texts, strict=True)}))
        except Invalid as problem:
            found.append(None)
            _note(problems, [lines[each] for each in at], problem)
    numbered = groups.with_row_index("number").select("number", "at").explode("at", empty_as_null=False).sort("at")
    return found, numbered["number"].cast(pl.Int32)


def _note(problems: dict[int, str], lines: Sequence[int], problem: Invalid) -> None:
    """Of each line the first that is wrong."""
    for line in lines:
        problems.setdefault(line, problem.message)


def _used(cells: pl.DataFrame, lines: Sequence[int], problems: dict[int, str]) -> pl.Series:
    """What was used, where a row says that."""
    if USED not in cells.columns:
        return pl.Series("quantity", [None] * cells.height, dtype=pl.Int128)
    said = cells.select(pl.when(~pl.col(USED).str.contains(_NULL)).then(pl.col(USED)).alias(USED))[USED]
    return _numbers(said, USED, "quantity", MOST_USED, lines, problems, optional=True)


def _numbers(
    texts: pl.Series,
    column: str,
    name: str,
    most: Decimal,
    lines: Sequence[int],
    problems: dict[int, str],
    *,
    optional: bool = False,
) -> pl.Series:
    """Numbers to 12 places, half up; those that are not plain one by one, as `read_number` does it."""
    if not optional:
        texts = texts.fill_null("")
    text, whole = pl.col("text"), pl.col("text").str.extract(r"([0-9]+)")
    decimals = pl.col("text").str.extract(r"\.([0-9]+)").fill_null("").str.pad_end(AMOUNT_PLACES + 1, "0")
    size = (whole + decimals.str.slice(0, AMOUNT_PLACES)).cast(pl.Int128)
    size += (decimals.str.slice(AMOUNT_PLACES, 1) >= "5").cast(pl.Int128)
    signed = pl.when(text.str.starts_with("-")).then(0 - size).otherwise(size)
    plain = text.str.contains(_PLAIN)
    table = texts.rename("text").to_frame().with_columns(plain.alias("plain"))
    parts = table.select(pl.when("plain").then(text).alias("text")).select(signed.alias(name))[name]
    odd = table.with_row_index("at").filter(~pl.col("plain"))
    if not odd.height:
        return parts
    values = parts.to_list()
    for raw, at in odd.group_by("text", maintain_order=True).agg("at").iter_rows():
        try:
            value = scaled(read_number(raw, column, most), AMOUNT_PLACES)
        except Invalid as problem:
            _note(problems, [lines[each] for each in at], problem)
            continue
        for each in at:
            values[each] = value
    return pl.Series(name, values, dtype=pl.Int128)
