"""Which feeds give way to which, and the resources that several of them measure."""

from collections.abc import Collection, Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, ForeignKey, and_, delete, select, tuple_
from sqlalchemy.orm import Mapped, Session, aliased, mapped_column

from gradumen.core.metering.feed_precedences import COMPARED
from gradumen.core.periods import midnight
from gradumen.store.columns import Base
from gradumen.store.metering.stale_usage import Mark, mark_stale
from gradumen.store.metering.tables import ResourceRow, SpellRow, UsageDayRow


class FeedPrecedenceRow(Base):
    """From a UTC day on a feed gives way to another of its seller's, where that measures the same."""

    __tablename__ = "feed_precedences"

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    first_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    starts_on: Mapped[date]


_MARK = """
INSERT INTO stale_usage (resource_id, meter_id, day, marked_at, quiet)
SELECT DISTINCT r.resource_id, r.meter_id, {day}, %s, 0
FROM resources a JOIN resources z ON z.name = a.name JOIN readings r ON r.resource_id = z.id
WHERE a.feed_id IN ({first}) AND z.feed_id IN ({feeds}) AND r.start_at >= %s
AND r.meter_id <> 0
"""


def precedences(tx: Session) -> list[tuple[int, int, date]]:
    """All of them: a feed, one to which it gives way, and from which UTC day."""
    row = FeedPrecedenceRow
    query = select(row.feed_id, row.first_id, row.starts_on).order_by(row.feed_id, row.first_id)
    return [(feed, first, starts_on) for feed, first, starts_on in tx.execute(query)]


def set_precedences(tx: Session, feed: int, first: Mapping[int, date]) -> None:
    """A feed gives way to these, and to no other."""
    row = FeedPrecedenceRow
    tx.execute(delete(row).where(row.feed_id == feed))
    tx.add_all([row(feed_id=feed, first_id=each, starts_on=starts_on) for each, starts_on in first.items()])
    tx.flush()


def feeds_of_resources(tx: Session, resources: Collection[int]) -> dict[int, tuple[int, str]]:
    """The feed and the name of each of some resources."""
    rows = tx.execute(
        select(ResourceRow.id, ResourceRow.feed_id, ResourceRow.name).where(ResourceRow.id.in_(resources))
    )
    return {number: (feed, name) for number, feed, name in rows}


def resources_called(tx: Session, wanted: Collection[tuple[int, str]]) -> dict[tuple[int, str], int]:
    """The resources of feeds that have these names; those that there are."""
    if not wanted:
        return {}
    place = tuple_(ResourceRow.feed_id, ResourceRow.name)
    rows = tx.execute(select(ResourceRow.feed_id, ResourceRow.name, ResourceRow.id).where(place.in_(wanted)))
    return {(feed, name): number for feed, name, number in rows}


def mark_measured_twice(tx: Session, feeds: Collection[int], first: Collection[int], since: date, at: datetime) -> None:
    """Usage of feeds, from a UTC day on, is made again where one of others has resources that are called the same."""
    if not feeds or not first:
        return
    begin = datetime(since.year, since.month, since.day) - timedelta(days=1)  # noqa: DTZ001  # as the driver takes it
    for day in ("DATE(r.start_at)", "DATE(r.end_at - INTERVAL 1 SECOND)"):
        statement = _MARK.format(day=day, first=", ".join(["%s"] * len(first)), feeds=", ".join(["%s"] * len(feeds)))
        tx.connection().exec_driver_sql(statement, (f"{at:%Y-%m-%d %H:%M:%S.%f}", *first, *feeds, begin))
    # What held then goes on from what was said before.
    own, other, spell = ResourceRow, aliased(ResourceRow), SpellRow
    query = select(spell.resource_id, spell.meter_id).distinct().join(own, own.id == spell.resource_id)
    query = query.join(other, and_(other.name == own.name, other.feed_id.in_(first)))
    query = query.where(own.feed_id.in_(feeds), spell.start_at < midnight(since), spell.end_at >= midnight(since))
    mark_stale(tx, {(resource, meter, since) for resource, meter in tx.execute(query)}, at)


def with_followers(tx: Session, marks: Collection[Mark], followers: Mapping[int, Collection[int]]) -> set[Mark]:
    """Marks, with those of what feeds measured that give way to the feeds of these.

    Args:
        followers: by feed those that give way to it.
    """
    known = feeds_of_resources(tx, {resource for resource, _, _ in marks})
    wanted = {(each, name) for feed, name in known.values() for each in followers.get(feed, ())}
    others = resources_called(tx, wanted)
    found = set(marks)
    for resource, meter, day in marks:
        feed, name = known[resource]
        numbers = (others.get((each, name)) for each in followers.get(feed, ()))
        found |= {(number, meter, day) for number in numbers if number is not None}
    return found


def compared_days(tx: Session, feed: int, first: date, last: date) -> Sequence[Any]:
    """What a feed measured where it gave way: meter, resource's name, day, hours, slots."""
    return _days(tx, ResourceRow.feed_id == feed, UsageDayRow.project_number == COMPARED, first, last)


def counted_days(tx: Session, feed: int, before: Collection[int], first: date, last: date) -> Sequence[Any]:
    """What counts of the same resources by feeds before it: meter, resource's name, day, hours, slots."""
    own = aliased(ResourceRow)
    names = select(own.name).where(own.feed_id == feed)
    theirs = and_(ResourceRow.feed_id.in_(before), ResourceRow.name.in_(names))
    return _days(tx, theirs, UsageDayRow.project_number != COMPARED, first, last)


def _days(
    tx: Session, which: ColumnElement[bool], whose: ColumnElement[bool], first: date, last: date
) -> Sequence[Any]:
    row = UsageDayRow
    query = select(row.meter_id, ResourceRow.name, row.day, row.hours, row.slots)
    query = query.join(ResourceRow, ResourceRow.id == row.resource_id)
    return tx.execute(query.where(which, whose, row.day.between(first, last))).all()
