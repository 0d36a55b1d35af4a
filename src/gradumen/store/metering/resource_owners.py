"""What feeds sent of one resource, told apart by all that says whose it is."""

from collections.abc import Collection
from datetime import datetime

from sqlalchemy import Date, cast, func, select, text
from sqlalchemy.orm import Session

from gradumen.core.metering.kinds import UNKNOWN
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.archived_readings import archived_groups, has_archived
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.tables import REPLACED, ReadingRow, ResourceRow, SupersededReadingRow
from gradumen.store.organisations.tables import moves_between


def groups_of(
    tx: Session, feeds: Collection[int], resource: str, first: datetime, end: datetime, most: int
) -> list[Group]:
    """Readings of the resources of a name of feeds that stand, started in a span of time, by day; ``most`` at most."""
    row = ReadingRow
    starts, ends = cast(row.start_at, Date), cast(func.date_sub(row.end_at, text("INTERVAL 1 SECOND")), Date)
    keys = (row.resource_id, row.meter_id, row.origin_id, row.attribute_set_id, starts, ends)
    query = (
        select(*keys, func.count(), func.min(row.start_at))
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .outerjoin(SupersededReadingRow, REPLACED)
        .where(ResourceRow.feed_id.in_(feeds), ResourceRow.name == resource, row.meter_id != UNKNOWN)
        .where(row.start_at >= first, row.start_at < end, SupersededReadingRow.delivery_id.is_(None))
        .group_by(*keys, *(row.start_at >= each for each in moves_between(tx, first, end)))
        .order_by(starts, row.resource_id, row.meter_id, row.origin_id, row.attribute_set_id)
        .limit(most)
    )
    hold_places(tx)
    found = [Group(*each) for each in tx.execute(query)]
    if has_archived(tx, first, end):
        named = select(ResourceRow.id).where(ResourceRow.feed_id.in_(feeds), ResourceRow.name == resource)
        found += [Group(*each) for each in archived_groups(tx, first, end, tx.scalars(named).all())]
        found.sort(key=lambda each: (each.day, each.resource, each.meter, each.origin, each.attributes))
    return found[:most]
