"""When a resource was used, and what was sent with the newest of it; queries."""

from collections.abc import Collection, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.feeds import feeds_by_id
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow
from gradumen.store.metering.tables import OriginRow, ReadingRow, ResourceRow, UsageDayRow
from gradumen.store.metering.usage import Wanted

NEWEST_DAYS = 3
"""Days of costs in which a resource is looked for."""


def used_between(tx: Session, wanted: Wanted, first: date, last: date) -> tuple[date | None, date | None]:
    """The first and last UTC day, of some days, on which something of what is wanted was used."""
    day = UsageDayRow.day
    bounds: list[Any] = [func.min(day), func.max(day)]
    query = wanted.of(select(*bounds))
    found: Any = tx.execute(query.where(day.between(first, last), UsageDayRow.total != Decimal(0))).one()
    return found[0], found[1]


def sets_on(tx: Session, wanted: Wanted, day: date) -> set[int]:
    """The attribute sets of usage of a day."""
    query = wanted.of(select(UsageDayRow.attribute_set_id).distinct()).where(UsageDayRow.day == day)
    return set(tx.scalars(query))


def sent_with(tx: Session, feeds: Collection[int], resource: str) -> list[tuple[int, set[int]]]:
    """By feed the attribute sets of the newest reading of each meter of a resource, and of its newest costs."""
    rows = tx.execute(
        select(ResourceRow.id, ResourceRow.feed_id).where(ResourceRow.name == resource, ResourceRow.feed_id.in_(feeds))
    ).all()
    hold_places(tx)
    costly = {number for number, row in feeds_by_id(tx, feeds).items() if row.cost_meter_id is not None}
    found = []
    for number, feed in rows:
        sets = {each for pair in _newest(tx, number) for each in pair if each is not None}
        sets |= _of_costs(tx, feed, number) if feed in costly else set()
        found.append((feed, sets))
    return found


def _newest(tx: Session, resource: int) -> Sequence[Any]:
    row = ReadingRow
    newest = select(row.meter_id, func.max(row.start_at).label("at")).where(row.resource_id == resource)
    last = newest.group_by(row.meter_id).subquery()
    query = select(row.attribute_set_id, OriginRow.sent_set_id).join(OriginRow, OriginRow.id == row.origin_id)
    query = query.join(last, (last.c.meter_id == row.meter_id) & (last.c.at == row.start_at))
    return tx.execute(query.where(row.resource_id == resource)).all()


def _of_costs(tx: Session, feed: int, resource: int) -> set[int]:
    part, row = CostSetRow, CostRowRow
    standing = (part.feed_id == feed, part.is_current.is_(True), part.estimated_from.is_(None), part.rows > 0)
    newest = tx.scalars(select(part.day).distinct().where(*standing).order_by(part.day.desc()).limit(NEWEST_DAYS))
    sets = select(part.id).where(*standing, part.day.in_(newest.all()))
    return set(
        tx.scalars(select(row.attribute_set_id).distinct().where(row.set_id.in_(sets), row.resource_id == resource))
    )
