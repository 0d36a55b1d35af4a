"""Rows of a cost file as columns: read once per distinct facts and times, numbers all at once."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import partial
from typing import TypeVar

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, scaled
from gradumen.core.metering.imported_costs import MOST, MOST_USED, READ, CostFacts, read_facts, read_number, read_times

AMOUNTS = {"BilledCost": "billed", "EffectiveCost": "effective", "ListCost": "listed", "ContractedCost": "contracted"}
USED = "ConsumedQuantity"
TIMES = ("BillingPeriodStart", "BillingPeriodEnd", "ChargePeriodStart", "ChargePeriodEnd")
_TIMES = {"month": pl.Date, "day": pl.Date, "begins": pl.Int32, "lasts": pl.Int32}
"""What they say of a row."""
FACTS = tuple(each for each in READ if each not in AMOUNTS and each not in TIMES and each != USED)
LINE = "line"
"""The column of lines in a file, which no file's column is called."""
_SHORT, _PLAIN = r"^-?[0-9]{1,12}(\.[0-9]{1,12})?$", r"^-?[0-9]{1,12}(\.[0-9]{1,40})?$"
"""Numbers that are read all at once, and those that are also rounded; none is beyond what a row may cost."""
MOST_KNOWN = 200_000
"""Facts that are known again; what comes after is read anew, and comes to the same."""
_NULL = r"^\s*(null|NULL)?\s*$"
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class CostFrame:
    """Rows that can be read, in their order, and what is wrong with the others.

    ``rows`` has ``line``, ``fact`` (a number of facts), ``month``, ``day``, ``begins`` and ``lasts`` in seconds, and
    ``billed``, ``effective``, ``listed``, ``contracted`` and ``quantity`` (or null) in 10**-12. ``facts`` are those
    that no frame before had, the first of them number ``first``. ``wrong`` are lines with what is wrong there.
    """

    facts: Sequence[CostFacts]
    first: int
    rows: pl.DataFrame
    wrong: Sequence[tuple[int, str]]


class FrameReader:
    """Reads the rows of a file frame by frame; a row reads the same in whatever company.

    >>> cells = {"BilledCost": ["1.5", "x"], "EffectiveCost": ["1e-1", "1"], "ListCost": ["2", "2"],
    ...     "ContractedCost": ["2", "2"], "BillingAccountId": ["A-1"] * 2, "BillingCurrency": ["EUR"] * 2,
    ...     "BillingPeriodStart": ["2026-11-01"] * 2, "BillingPeriodEnd": ["2026-12-01"] * 2,
    ...     "ChargeCategory": ["Usage"] * 2, "ServiceName": ["Machines"] * 2,
    ...     "ChargePeriodStart": ["2026-11-03"] * 2, "ChargePeriodEnd": ["2026-11-04"] * 2, "line": [2, 3]}
    >>> frame = FrameReader(date(2026, 12, 1)).read(pl.DataFrame(cells))
    >>> frame.rows.select("line", "day", "billed", "effective").rows()
    [(2, datetime.date(2026, 11, 3), 1500000000000, 100000000000)]
    >>> frame.wrong
    [(3, "BilledCost 'x' is no number; write it like -1234.56")]
    """

    def __init__(self, latest: date) -> None:
        """``latest`` is the last day on which a charge may begin."""
        self._latest = latest
        self._known: pl.DataFrame | None = None
        self._count = 0

    def read(self, cells: pl.DataFrame) -> CostFrame:
        """Read rows: a column of texts for each that is read, and ``line``."""
        problems: dict[int, str] = {}
        times = self._times(cells, problems)
        first = self._count
        fact, facts = self._facts(cells, problems)
        lines = cells[LINE].to_list()
        numbers = [
            *(_numbers(cells[column], column, name, MOST, lines, problems) for column, name in AMOUNTS.items()),
            _used(cells, lines, problems),
        ]
        rows = pl.DataFrame([cells[LINE], fact, *times, *numbers])
        if problems:
            rows = rows.filter(~pl.col(LINE).is_in(list(problems)))
        return CostFrame(facts, first, rows, sorted(problems.items()))

    def _times(self, cells: pl.DataFrame, problems: dict[int, str]) -> list[pl.Series]:
        """The month and the day of each row, when in the day it begins, and how long it lasts."""
        distinct = cells.select(TIMES).unique(maintain_order=True)
        read: list[tuple[date, date, int, int] | tuple[None, ...]] = []
        wrong: list[str | None] = []
        for row in distinct.iter_rows(named=True):
            each, problem = _tried(partial(read_times, row, self._latest))
            read.append(each or (None,) * len(_TIMES))
            wrong.append(problem)
        columns = (
            pl.Series(name, [each[place] for each in read], dtype=kind)
            for place, (name, kind) in enumerate(_TIMES.items())
        )
        said = distinct.with_columns(*columns, pl.Series("problem", wrong, dtype=pl.String))
        found = cells.select(LINE, *TIMES).join(said, on=TIMES, how="left", nulls_equal=True, maintain_order="left")
        _note_all(found, problems)
        return [found[name] for name in _TIMES]

    def _facts(self, cells: pl.DataFrame, problems: dict[int, str]) -> tuple[pl.Series, list[CostFacts]]:
        """The number of the facts of each row, and those that were not known before."""
        there = [each for each in FACTS if each in cells.columns]
        texts = cells.select(LINE, *there)
        if self._known is None or self._known.height > MOST_KNOWN:
            self._known = (
                texts.clear()
                .select(there)
                .with_columns(pl.lit(0, dtype=pl.Int32).alias("fact"), pl.lit(None, dtype=pl.String).alias("problem"))
            )
        fresh = texts.select(there).unique(maintain_order=True)
        fresh = fresh.join(self._known, on=there, how="anti", nulls_equal=True, maintain_order="left")
        facts: list[CostFacts] = []
        numbers: list[int] = []
        wrong: list[str | None] = []
        for cell in fresh.iter_rows(named=True):
            each, problem = _tried(partial(read_facts, {name: text or "" for name, text in cell.items()}))
            numbers.append(self._count + len(facts))
            wrong.append(problem)
            facts += [each] if each else []
        self._count += len(facts)
        said = fresh.with_columns(
            pl.Series("fact", numbers, dtype=pl.Int32), pl.Series("problem", wrong, dtype=pl.String)
        )
        self._known = pl.concat([self._known, said], rechunk=False)
        found = texts.join(self._known, on=there, how="left", nulls_equal=True, maintain_order="left")
        _note_all(found, problems)
        return found["fact"], facts


def _tried(read: Callable[[], T]) -> tuple[T | None, str | None]:
    """What is read, or what is wrong with it."""
    try:
        return read(), None
    except Invalid as problem:
        return None, problem.message


def _note_all(found: pl.DataFrame, problems: dict[int, str]) -> None:
    """Of each line the first that is wrong."""
    for line, problem in found.filter(pl.col("problem").is_not_null()).select(LINE, "problem").iter_rows():
        problems.setdefault(line, problem)


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
    table = texts.rename("text").to_frame()
    text = pl.col("text")
    table = table.with_columns(text.str.contains(_SHORT).alias("short"), text.str.contains(_PLAIN).alias("plain"))
    short = table.select(pl.when("short").then(text).cast(pl.Decimal(38, AMOUNT_PLACES)).to_physical())["text"]
    if table["short"].all():
        return short.rename(name)
    long = table.select(pl.when(pl.col("plain") & ~pl.col("short")).then(text).alias("text"))
    parts = short.zip_with(table["short"].fill_null(value=False), long.select(_rounded(text))["text"])
    odd = table.with_row_index("at").filter(~pl.col("plain"))
    values = parts.to_list() if odd.height else []
    for raw, at in odd.group_by("text", maintain_order=True).agg("at").iter_rows():
        try:
            value = scaled(read_number(raw, column, most), AMOUNT_PLACES)
        except Invalid as problem:
            for each in at:
                problems.setdefault(lines[each], problem.message)
            continue
        for each in at:
            values[each] = value
    return pl.Series(name, values, dtype=pl.Int128) if odd.height else parts.rename(name)


def _rounded(text: pl.Expr) -> pl.Expr:
    """Plain numbers with more places than are kept, half up, in 10**-12."""
    decimals = text.str.extract(r"\.([0-9]+)").str.pad_end(AMOUNT_PLACES + 1, "0")
    size = (text.str.extract("([0-9]+)") + decimals.str.slice(0, AMOUNT_PLACES)).cast(pl.Int128)
    size += (decimals.str.slice(AMOUNT_PLACES, 1) >= "5").cast(pl.Int128)
    return pl.when(text.str.starts_with("-")).then(0 - size).otherwise(size).alias("text")
