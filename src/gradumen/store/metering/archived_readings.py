"""Archived readings, read where what leads to them asks."""

from collections.abc import Collection, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import polars as pl
from sqlalchemy import exists, func, select
from sqlalchemy.orm import Session

from gradumen.core.exact import QUANTITY_PLACES, scaled
from gradumen.core.metering.archives import in_groups, nothing, unpack
from gradumen.store.metering.archived_months import ArchivedPartRow, ArchivedSumRow
from gradumen.store.metering.tables import OriginRow, ResourceRow
from gradumen.store.organisations.tables import moves_between


def has_archived(tx: Session, start: datetime, end: datetime) -> bool:
    """Whether any readings are archived that start in the months of a span of time."""
    return bool(tx.scalar(select(exists().where(*_of_months(start, end)))))


def archived(tx: Session, start: datetime, end: datetime, resources: Collection[int] | None = None) -> pl.DataFrame:
    """Archived readings that start from a moment on and before another; `gradumen.core.metering.archives.COLUMNS`."""
    inside = (pl.col("start") >= start) & (pl.col("start") < end)
    if resources is not None:
        inside &= pl.col("resource").is_in(sorted(resources))
    frames = [unpack(content).filter(inside) for content in _contents(tx, start, end, resources)]
    return pl.concat(frames) if frames else nothing()


def _contents(tx: Session, start: datetime, end: datetime, resources: Collection[int] | None) -> Iterator[bytes]:
    """The parts that may have some of these, one after another: all at once may be much."""
    row = ArchivedPartRow
    query = select(row.id).where(*_of_months(start, end)).order_by(row.id)
    if resources is not None:
        if not resources:
            return
        query = query.where(row.first_resource <= max(resources), row.last_resource >= min(resources))
    for number in tx.scalars(query).all():
        yield tx.scalars(select(row.content).where(row.id == number)).one()


def _of_months(start: datetime, end: datetime) -> tuple[Any, ...]:
    month = ArchivedPartRow.month
    return month >= f"{start.astimezone(UTC):%Y-%m}", month <= f"{end.astimezone(UTC):%Y-%m}"


def archived_groups(
    tx: Session, start: datetime, end: datetime, resources: Collection[int], *, naming_nobody: bool = False
) -> list[tuple[Any, ...]]:
    """Archived readings that stand, in the groups of `gradumen.core.metering.archives.in_groups`."""
    found = in_groups(archived(tx, start, end, resources), moves_between(tx, start, end))
    if not naming_nobody or not found:
        return found
    row = OriginRow
    nobodys = set(tx.scalars(select(row.id).where(row.owner.is_(None), row.id.in_({each[2] for each in found}))))
    return [each for each in found if each[2] in nobodys]


def archived_across(
    tx: Session, feeds: Collection[int], moment: datetime, longest: timedelta
) -> Sequence[tuple[Any, ...]]:
    """The archived readings that stand and begin before a moment and end after it.

    Feed, meter, resource, attributes, origin, start and end in seconds from 1970, millionths.
    """
    if not has_archived(tx, moment - longest, moment):
        return []
    rows = tx.execute(select(ResourceRow.id, ResourceRow.feed_id).where(ResourceRow.feed_id.in_(feeds)))
    of: dict[int, int] = dict(rows.all())
    frame = archived(tx, moment - longest + timedelta(seconds=1), moment, of)
    frame = frame.filter(pl.col("replaced_by").is_null(), pl.col("end") > moment)
    columns = ("meter", "resource", "attributes", "origin", "start", "end", "quantity")
    return [
        (of[row[1]], *row[:4], int(row[4].timestamp()), int(row[5].timestamp()), scaled(row[6], QUANTITY_PLACES))
        for row in frame.select(columns).rows()
    ]


def archived_sums(
    tx: Session, feeds: Collection[int], start: datetime, end: datetime
) -> list[tuple[int, int, int, int, int, Decimal, Decimal]]:
    """What archived readings came to that start from a moment on and before another, by feed and meter.

    Feed, meter, readings that stand, replaced and taken back, quantities, and quantities by seconds.
    """
    row = ArchivedSumRow
    numbers = (row.readings, row.replaced, row.taken_back, row.summed, row.by_seconds)
    query = select(row.feed_id, row.meter_id, *(func.sum(each) for each in numbers))
    query = query.where(row.feed_id.in_(feeds), row.start_at >= start, row.start_at < end)
    rows: Any = tx.execute(query.group_by(row.feed_id, row.meter_id))
    return [
        (feed, meter, int(stand), int(replaced), int(gone), summed, by_seconds)
        for feed, meter, stand, replaced, gone, summed, by_seconds in rows
    ]
