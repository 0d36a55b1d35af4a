"""What charges of links come to in a range, summed from files of columns that are made where they are missing."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

import polars as pl

from gradumen.core.periods import Period
from gradumen.core.spend.columns import SPEND_SCHEMA, spend_columns
from gradumen.core.spend.spend import PARTS, Range, added_up
from gradumen.store.pairs import PairRow, pairs_by_id, pairs_with
from gradumen.store.spend import spend_columns as store
from gradumen.store.spend.month_columns import keep_month, scan_months
from gradumen.store.unit_of_work import COLUMNS, Session, use_case
from gradumen.usecases.rating.stored_charges import settled

AT_ONCE = 100
"""So many pairs are read and added up together where they have no file."""


def columns_of(tx: Session, pairs: Sequence[PairRow], names: Sequence[str]) -> Iterator[pl.DataFrame]:
    """Some columns of pairs of one period as they hold, a hundred together, from their files or else made, and kept.

    Raises:
        Conflict: they are rated more often than they can be read.
    """
    for first in range(0, len(pairs), AT_ONCE):
        some = pairs[first : first + AT_ONCE]
        found = {pair.id: store.find_columns(tx.info.get(COLUMNS), pair, names) for pair in some}
        missing = [pair for pair in some if found[pair.id] is None]
        columns = [each for each in found.values() if each is not None]
        columns += [each.select(names) for each in _made(tx, missing).values()] if missing else []
        yield pl.concat(columns)


def _made(tx: Session, pairs: Sequence[PairRow]) -> dict[int, pl.DataFrame]:
    """The columns of pairs of one period as they hold, made and kept.

    Raises:
        Conflict: they are rated more often than they can be read.
    """

    def made() -> dict[int, pl.DataFrame]:
        parts = store.parts_of(tx, pairs)
        period, of = Period.parse(pairs[0].period), parts.drop_nulls(["project", "resource"])
        regions = store.regions_of(tx, period, set(of["project"].to_list()), set(of["resource"].to_list()))
        return spend_columns(period, store.charges_of(tx, pairs), parts, regions)

    found = settled(tx, pairs, made)
    nothing = pl.DataFrame(schema=SPEND_SCHEMA)
    columns = {pair.id: found.get(pair.id, nothing) for pair in pairs}
    for pair in pairs:
        store.keep_columns(tx.info.get(COLUMNS), pair, columns[pair.id])
    return columns


@use_case
def refresh_columns(tx: Session, *, pairs: Collection[int]) -> None:
    """Make the files of pairs that were rated, so that nobody waits for them."""
    folder = tx.info.get(COLUMNS)
    if folder is None:
        return
    apart: dict[str, list[PairRow]] = {}
    found = pairs_by_id(tx, pairs)
    for pair in found:
        if store.find_columns(folder, pair, ["amount"]) is None:
            apart.setdefault(pair.period, []).append(pair)
    for same in apart.values():
        _made(tx, same)
    for seller, period in sorted({(pair.seller_id, pair.period) for pair in found}):
        keep_month(folder, pairs_with(tx, seller, None, period))


@dataclass(frozen=True, slots=True)
class Link:
    """Pairs whose charges are looked at, and whose use of them.

    ``sold`` where they are what a seller sells, ``cost`` where they are what that costs it.
    """

    pairs: list[PairRow]
    users: frozenset[UUID]
    cost: bool = False
    sold: bool = False


class _Month:
    """A month and what its days are to a range: each one's ``part``, or that of all of them."""

    def __init__(self, month: Period, days: Range, cost: bool, by_day: bool) -> None:
        self.month, self.by_day, self.spans = month, by_day, days.spans(cost=cost)
        first, end = month.first_day, month.next().first_day
        touched = [each for each in self.spans if each.first < end and first < each.end]
        within = len(touched) == 1 and touched[0].first <= first and end <= touched[0].end
        self.part: str | None = (touched[0].part if within else None) if touched else ""
        """Nothing where no day is looked at, None where its days are different things."""

    def needed(self, keys: Sequence[str]) -> set[str]:
        """The columns that files have to tell apart for sums by some of them: days where each counts as itself."""
        by_day = self.by_day or self.part is None
        return {*keys, "day"} if by_day else set(keys) - {"day"}

    def labelled(self, rows: pl.LazyFrame) -> pl.LazyFrame:
        """The rows that are looked at, each with its part."""
        day = pl.col("day")
        first = pl.lit(self.month.first_day).alias("day")
        if self.part is not None:
            rows = rows.with_columns(pl.lit(self.part, dtype=PARTS).alias("part"))
            return rows if self.by_day else rows.with_columns(first)
        part = pl.lit(None, dtype=PARTS)
        for span in self.spans:
            within = day.is_between(span.first, span.end, closed="left")
            part = pl.when(within).then(pl.lit(span.part, dtype=PARTS)).otherwise(part)
        wanted = rows.with_columns(part.alias("part")).filter(pl.col("part").is_not_null())
        return wanted if self.by_day else wanted.with_columns(first)


def sums_of_link(
    tx: Session, link: Link, days: Range, users: pl.LazyFrame, keys: Sequence[str], *, by_day: bool
) -> pl.DataFrame | None:
    """The rows of the range, and of the one before where they are no cost, added up; None where there are none.

    Args:
        users: ``organisation``, whose use is looked at, ``sold_in``, and what else stands beside one.
        keys: columns of charges or users that the sums are by, besides ``part``, ``currency`` and ``sold_in``.
        by_day: whether ``day`` is the day, or the first of its month.
    """
    wanted = [name for name in SPEND_SCHEMA if name in {*keys, "organisation", "day", "currency", "amount"}]
    names = [*wanted, "part"]
    months: dict[str, list[PairRow]] = defaultdict(list)
    for pair in link.pairs:
        months[pair.period].append(pair)
    frames: list[pl.LazyFrame] = []
    rest: list[tuple[list[PairRow], _Month]] = []
    known: list[tuple[list[PairRow], _Month]] = []
    for period, pairs in months.items():
        month = _Month(Period.parse(period), days, link.cost, by_day)
        if month.part == "":
            continue
        found, left = scan_months(tx.info.get(COLUMNS), pairs, month.needed(keys))
        frames += [month.labelled(rows).select(names) for rows in found]
        missing = {pair.id for pair in left}
        rest += [(left, month)] if left else []
        known.append(([pair for pair in pairs if pair.id not in missing], month))

    def summed(rows: pl.LazyFrame) -> pl.DataFrame:
        """Added up as they are read, so that no more than what is wanted is ever in memory."""
        return added_up(rows.join(users, on="organisation"), [*keys, "part", "currency", "sold_in"])

    sums = []
    if frames:
        try:
            sums.append(summed(pl.concat(frames)))
        except store.DAMAGED:
            rest += known
    for pairs, month in rest:
        sums += [summed(month.labelled(each.lazy()).select(names)) for each in columns_of(tx, pairs, wanted)]
    return pl.concat(sums) if sums else None
