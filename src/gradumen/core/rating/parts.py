"""Parts of charges, as columns: a month has very many, and an object is made of those alone that somebody looks at."""

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property
from itertools import pairwise
from typing import ClassVar, NamedTuple, overload

import numpy as np
import polars as pl

from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, allocate, unscaled
from gradumen.core.rating.groups import Array, run_numbers

_WIDE = 1 << 126
_TO_ORDINAL = date(1970, 1, 1).toordinal()


class Part(NamedTuple):
    """A charge's share of one project, resource and local day, in whole numbers. Fees have no resource.

    ``micro`` is in millionths of base units, ``pico`` in 10**-12 of the card's currency.
    """

    project: int | None
    resource: int | None
    day: date
    micro: int
    pico: int

    @property
    def quantity(self) -> Decimal:
        """In base units."""
        return unscaled(self.micro, QUANTITY_PLACES)

    @property
    def amount(self) -> Decimal:
        """In the card's currency."""
        return unscaled(self.pico, AMOUNT_PLACES)


@dataclass(frozen=True, eq=False)
class PartTable:
    """Parts of many charges under each other, in the columns of ``SCHEMA``; see `Part`."""

    SCHEMA: ClassVar[Mapping[str, pl.DataType]] = {
        "project": pl.Int32(),
        "resource": pl.Int32(),
        "day": pl.Date(),
        "micro": pl.Int128(),
        "pico": pl.Int128(),
    }
    frame: pl.DataFrame

    @cached_property
    def parts(self) -> list[Part]:
        """All of them as objects."""
        return list(map(Part, *(self.frame[name].to_list() for name in Part._fields)))


class Parts(Sequence[Part]):
    """The parts of one charge: some rows of a table, which become objects where somebody looks at them."""

    __slots__ = ("first", "last", "table")

    def __init__(self, table: PartTable, first: int, last: int) -> None:
        self.table, self.first, self.last = table, first, last

    def __len__(self) -> int:
        return self.last - self.first

    @overload
    def __getitem__(self, place: int) -> Part: ...

    @overload
    def __getitem__(self, place: slice) -> Sequence[Part]: ...

    def __getitem__(self, place: int | slice) -> Part | Sequence[Part]:
        return self.table.parts[self.first : self.last][place]

    def __iter__(self) -> Iterator[Part]:
        return iter(self.table.parts[self.first : self.last])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __hash__(self) -> int:
        return hash(tuple(self))


def allocate_runs(totals: Sequence[int], weights: pl.Series, first: Array) -> pl.Series:
    """What `allocate` gives for each run of weights, all at once.

    Args:
        totals: one for each run.
        weights: whole numbers, not negative.
        first: where each run begins.

    >>> allocate_runs([100, -5], pl.Series([1, 1, 1, 0, 0]), np.array([0, 3])).to_list()
    [34, 33, 33, -5, 0]
    """
    if not totals:
        return pl.Series([], dtype=pl.Int128)
    largest, most = max(map(abs, totals)), weights.max()
    assert isinstance(most, int)
    if max(largest, len(weights)) * max(most, 1) >= _WIDE:
        values, bounds = weights.to_list(), pairwise([*first.tolist(), len(weights)])
        exact = [allocate(total, values[start:end]) for total, (start, end) in zip(totals, bounds, strict=True)]
        return pl.Series([share for each in exact for share in each], dtype=pl.Int128)
    run = run_numbers(first, len(weights))
    rows = pl.DataFrame({"run": run, "weight": weights.cast(pl.Int128)})
    whole = rows.group_by("run", maintain_order=True).agg(pl.col("weight").sum())["weight"]
    size = pl.Series(totals, dtype=pl.Int128)
    # Where nothing weighs anything, the first takes all.
    opens = np.zeros(len(weights), dtype=bool)
    opens[first] = True
    idle = (whole == 0).gather(run) & pl.Series(opens)
    rows = rows.with_columns(
        pl.when(idle).then(pl.lit(1, dtype=pl.Int128)).otherwise(pl.col("weight")).alias("weight"),
        whole.replace({0: 1}).gather(run).alias("whole"),
        size.abs().gather(run).alias("size"),
    )
    product = pl.col("size") * pl.col("weight")
    rows = rows.with_columns((product // pl.col("whole")).alias("floor"), (product % pl.col("whole")).alias("rest"))
    given = rows.group_by("run", maintain_order=True).agg(pl.col("floor").sum())["floor"]
    left = (size.abs() - given).cast(pl.Int64).to_numpy()
    order = rows.select(pl.arg_sort_by("run", "rest", descending=[False, True], maintain_order=True)).to_series()
    one_more = np.zeros(len(weights), dtype=np.int64)
    one_more[order.to_numpy()] = np.arange(len(weights)) - first[run] < left[run]
    shares = rows["floor"] + pl.Series(one_more)
    return shares * size.sign().gather(run)


def evidence_rows(project: str, resource: str, day: str, quantity: str) -> pl.Expr:
    """Each part's line of what a charge was made from, of columns by their names; see `evidence_of`."""
    ordinal = pl.col(day).to_physical() + _TO_ORDINAL
    names = [pl.col(name).cast(pl.String).fill_null("None") for name in (project, resource)]
    return pl.format("({}, {}, {}, {})", *names, ordinal, pl.col(quantity))


def evidence_of(attributes: Iterable[int], rows: Iterable[str]) -> str:
    """SHA-256 of what a charge was made from: numbers of attribute sets, then its parts in the order of their texts.

    >>> day = date(2026, 9, 1)
    >>> parts = pl.DataFrame({"project": [7, None], "resource": [2, 3], "day": [day, day], "quantity": [5, 6]})
    >>> rows = parts.select(evidence_rows(*parts.columns).sort()).to_series().to_list()
    >>> rows
    ['(7, 2, 739860, 5)', '(None, 3, 739860, 6)']
    >>> evidence_of([1], rows)[:8]
    '608bff0b'
    """
    return hashlib.sha256("\n".join([*map(str, attributes), *rows]).encode()).hexdigest()
