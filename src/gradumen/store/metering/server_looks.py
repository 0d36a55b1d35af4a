"""What was told of servers before: when all was last listed, and of which accounts something is there."""

from collections.abc import Collection
from datetime import datetime

from sqlalchemy import and_, func, select
from sqlalchemy.orm import Session

from gradumen.store.metering.tables import ListingRow, OriginRow, ReadingRow, ResourceRow, SpellRow


def listed_last(tx: Session, feed: int, source: str, until: datetime) -> dict[int, datetime]:
    """By meter, when a source last listed all that is there, not after a moment."""
    row = ListingRow
    query = select(row.meter_id, func.max(row.listed_at)).group_by(row.meter_id)
    query = query.where(row.feed_id == feed, row.source == source, row.listed_at <= until)
    return dict(tx.execute(query).all())


def accounts_there(tx: Session, feed: int, source: str, meters: Collection[int]) -> dict[int, set[str]]:
    """By meter the accounts of a source of which something is still there; empty where it has none."""
    row = ReadingRow
    query = select(row.meter_id, OriginRow.account).distinct().join(OriginRow, OriginRow.id == row.origin_id)
    query = query.join(ResourceRow, ResourceRow.id == row.resource_id)
    of = and_(SpellRow.resource_id == row.resource_id, SpellRow.meter_id == row.meter_id)
    query = query.join(SpellRow, and_(of, SpellRow.watermark_id.is_not(None)))
    query = query.where(ResourceRow.feed_id == feed, row.meter_id.in_(meters), OriginRow.source == source)
    found: dict[int, set[str]] = {}
    for meter, account in tx.execute(query):
        found.setdefault(meter, set()).add(account or "")
    return found
