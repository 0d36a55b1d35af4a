"""Spend: exact sums by one or two of what parts of charges are known by, the largest and the rest."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from enum import StrEnum
from typing import Any, NamedTuple

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.periods import months_after

LONGEST = 800
"""Days in a range, at most."""
EARLIEST, LATEST = date(1990, 1, 1), date(2200, 1, 1)


class Dimension(StrEnum):
    """What spend can be summed by; ``buyer`` is the seller's own, ``organisation`` the one that used.

    Levels are those of the user's tree of projects, from the top; what is higher up is there as itself.
    """

    BUYER = "buyer"
    ORGANISATION = "organisation"
    PROJECT = "project"
    LEVEL_1 = "level-1"
    LEVEL_2 = "level-2"
    LEVEL_3 = "level-3"
    COST_CENTRE = "cost-centre"
    PLAN = "plan"
    SERVICE = "service"
    METER = "meter"
    RESOURCE = "resource"
    REGION = "region"
    MONTH = "month"
    DAY = "day"


TIMES = (Dimension.MONTH, Dimension.DAY)
LEVELS = (Dimension.LEVEL_1, Dimension.LEVEL_2, Dimension.LEVEL_3)
"""Of a tree of projects, from the top; on the fourth stand the projects themselves."""


PARTS = pl.Enum(["before", "compared", "now", "cost"])
"""What a row is of what is looked at, see `sums_by`; as numbers, which are sooner told apart than texts."""


class Span(NamedTuple):
    """Days from the first up to ``end``, and which part of what is looked at they are."""

    part: str
    first: date
    end: date


@dataclass(frozen=True, slots=True)
class Range:
    """Days from the first up to, and not including, ``end``.

    >>> before = Range(date(2026, 11, 1), date(2026, 12, 1)).until(date(2026, 11, 26)).before
    >>> str(before.first), str(before.end)
    ('2026-10-01', '2026-10-26')
    """

    first: date
    end: date
    compared: date | None = None
    """Before which day this range is compared with the one before; None is all of it."""

    @classmethod
    def asked(cls, first: date, end: date) -> "Range":
        """A range that somebody asks for.

        Raises:
            Invalid: it is empty, too long, or too long ago or ahead.
        """
        if first < EARLIEST or end > LATEST:
            early = first < EARLIEST
            raise Invalid(
                f"spend is of the days from {EARLIEST} until {LATEST}; got {first} to {end}",
                field="from" if early else "to",
                value=(first if early else end).isoformat(),
            )
        if not 0 < (end - first).days <= LONGEST:
            raise Invalid(
                f"a range has 1 to {LONGEST} days; {first} to {end} has {(end - first).days}",
                field="to",
                value=end.isoformat(),
            )
        return cls(first, end)

    def until(self, today: date) -> "Range":
        """The range, compared in the days that are over on a day; on its first day nothing stands against any."""
        return Range(self.first, self.end, today) if self.first <= today < self.end else self

    @property
    def before(self) -> "Range":
        """As many months, or days, just before; of a range under way as much of them as of it."""
        end = self.compared or self.end
        if self.first.day == self.end.day == 1:
            months = (self.end.year - self.first.year) * 12 + self.end.month - self.first.month
            first = months_after(self.first, -months)
            reached = self.first if self.compared is None else min(self.first, first + (end - self.first))
            return Range(first, reached)
        length = self.end - self.first
        return Range(self.first - length, self.first - length + (end - self.first))

    @property
    def last_day(self) -> date:
        """The last day."""
        return self.end - timedelta(days=1)

    def spans(self, *, cost: bool) -> tuple[Span, ...]:
        """The parts of it, see `sums_by`; what things cost is not compared with the range before."""
        if cost:
            return (Span("cost", self.first, self.end),)
        before, compared = self.before, self.compared or self.end
        return (
            Span("before", before.first, before.end),
            Span("compared", self.first, compared),
            Span("now", compared, self.end),
        )


@dataclass(slots=True)
class SpendSum:
    """What one value of each dimension came to; a key None is the rest. All in 10**-12 of the currency.

    ``compared`` is the part of ``amount`` that stands against ``before``. ``costs`` are by currency.
    """

    currency: str
    keys: tuple[str | None, ...]
    amount: int = 0
    compared: int = 0
    before: int = 0
    costs: dict[str, int] = field(default_factory=dict)
    others: int = 0
    """Of a rest: how many values it stands for."""


def sums_by(rows: pl.DataFrame, by: Sequence[str], top: int) -> list[SpendSum]:
    """Add rows up.

    Args:
        rows: columns ``currency``, ``amount`` and one of text for each dimension; ``part`` tells what a row is: of the
            range ``now``, of it and ``compared``, of the range ``before``, or a ``cost`` in ``cost_currency``.
        top: how many values of a dimension stand by themselves, per currency; those of time all do.

    Returns:
        The largest first, the rest after them; times in order.

    >>> rows = pl.DataFrame(
    ...     [("EUR", name, "now", None, amount) for name, amount in (("compute", 7), ("backup", 5), ("database", 1))],
    ...     schema=["currency", "service", "part", "cost_currency", "amount"], orient="row",
    ... )
    >>> [(each.keys, each.amount, each.others) for each in sums_by(rows, ["service"], top=1)]
    [(('compute',), 7, 0), ((None,), 6, 2)]
    """
    if not rows.height:
        return []
    if any(name in TIMES for name in by):
        rows = rows.filter(pl.col("part") != "before")
    others: dict[tuple[str, str], int] = {}
    for name in by:
        if name not in TIMES:
            rows = _folded(rows, name, top, others)
    summed = added_up(rows, ["currency", *by, "part", "cost_currency"])
    found: dict[tuple[str, tuple[str | None, ...]], SpendSum] = {}
    for *place, part, cost_currency, amount in summed.rows():
        currency, values = place[0], tuple(place[1:])
        each = found.setdefault((currency, values), SpendSum(currency, values))
        if part == "cost":
            each.costs[cost_currency] = each.costs.get(cost_currency, 0) + amount
        elif part == "before":
            each.before += amount
        else:
            each.amount += amount
            each.compared += amount if part == "compared" else 0
    for each in found.values():
        each.others = max(
            (others.get((each.currency, n), 0) for n, key in zip(by, each.keys, strict=True) if key is None), default=0
        )
    return sorted(found.values(), key=lambda each: _place(each, by))


def added_up(rows: pl.DataFrame | pl.LazyFrame, keys: Sequence[str]) -> pl.DataFrame:
    """The amounts of rows that have the same keys, exactly.

    Raises:
        Invalid: their sum might not fit 128 bits.
    """
    amount = pl.col("amount")
    sums = amount.sum(), amount.abs().max().alias("__most"), pl.len().alias("__count")
    found = rows.lazy().group_by(keys).agg(*sums).collect(engine="streaming")
    most, count = found["__most"].max() or 0, found["__count"].max() or 0
    if int(most) * int(count) >= 2**126:  # type: ignore[arg-type]  # whole numbers, by the schema
        raise Invalid("these amounts are too large to add up exactly", field="amount")
    return found.drop("__most", "__count")


def _folded(rows: pl.DataFrame, name: str, top: int, others: dict[tuple[str, str], int]) -> pl.DataFrame:
    """The rows with None in place of every value but the largest; notes how many there are of these others."""
    now = pl.col("part").is_in(["now", "compared"])
    sums = rows.group_by("currency", name).agg(
        pl.col("amount").filter(now).sum().alias("now"),
        pl.col("amount").filter(pl.col("part") == "cost").sum().alias("cost"),
    )
    ranked = sums.sort(pl.col("now").abs(), "cost", name, descending=[True, True, False])
    largest = (
        ranked.group_by("currency", maintain_order=True).head(top).select("currency", name, pl.lit(True).alias("kept"))
    )
    for currency, count in sums.group_by("currency").len().rows():
        others[currency, name] = max(0, count - top)
    joined = rows.join(largest, on=["currency", name], how="left")
    return joined.with_columns(pl.when("kept").then(pl.col(name)).otherwise(None).alias(name)).drop("kept")


def _place(each: SpendSum, by: Sequence[str]) -> tuple[Any, ...]:
    times = tuple(key or "" for name, key in zip(by, each.keys, strict=True) if name in TIMES)
    rest = any(key is None for key in each.keys)
    cost = sum(each.costs.values())
    return each.currency, times, rest, -each.amount, -cost, tuple(key or "" for key in each.keys)
