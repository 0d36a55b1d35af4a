"""Queries of lists of all that is there, and of what one misses."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import and_, exists, func, or_, select, tuple_
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.errors import Conflict
from gradumen.store.metering.stale_usage import Mark
from gradumen.store.metering.tables import ListingRow, OriginRow, ReadingRow, ResourceRow, SpellRow


def known_listings(tx: Session, feed: int, names: Collection[tuple[str, str]]) -> dict[tuple[str, str], bytes]:
    """What lists of a feed said, by source and id; for a decision: rivals with the same list meet here."""
    row = ListingRow
    query = select(row).where(row.feed_id == feed, tuple_(row.source, row.event_id).in_(names)).with_for_update()
    return {(each.source, each.event_id): each.content for each in tx.scalars(query)}


def add_listing(tx: Session, values: Mapping[str, Any]) -> bool:
    """Add a list; False where a rival has added the same meanwhile.

    Raises:
        Conflict: a rival has added one of this id that says something else.
    """
    added = tx.execute(insert(ListingRow).prefix_with("IGNORE").values(**values))
    if added.rowcount:  # type: ignore[attr-defined]  # of a statement that changes rows
        return True
    name = values["source"], values["event_id"]
    if known_listings(tx, values["feed_id"], [name]).get(name) != values["content"]:
        raise Conflict(f"id '{name[1]}' is known with other content; a list stands, send a new one", field="id")
    return False


def has_listings(tx: Session, delivery: int) -> bool:
    """Whether a delivery brought lists."""
    return bool(tx.scalar(select(exists().where(ListingRow.delivery_id == delivery))))


def lists_of(
    tx: Session, meter: int, resources: Collection[int], origins: Collection[int], since: datetime
) -> Mapping[tuple[int, int], Sequence[int]]:
    """By resource and origin the moments, in seconds from 1970, of later lists in which it would stand."""
    row = ListingRow
    feeds: dict[int, int] = dict(
        tx.execute(select(ResourceRow.id, ResourceRow.feed_id).where(ResourceRow.id.in_(resources))).all()
    )
    query = select(row.feed_id, row.source, row.account, row.listed_at).order_by(row.listed_at)
    query = query.where(row.feed_id.in_(set(feeds.values())), row.meter_id == meter, row.listed_at > since)
    moments: dict[tuple[int, str, str | None], list[int]] = defaultdict(list)
    for feed, source, account, at in tx.execute(query):
        moments[feed, source, account].append(int(at.timestamp()))
    if not moments:
        return {}
    said = tx.execute(select(OriginRow.id, OriginRow.source, OriginRow.account).where(OriginRow.id.in_(origins))).all()
    return {
        (resource, origin): moments[feed, source, account]
        for resource, feed in feeds.items()
        for origin, source, account in said
        if (feed, source, account) in moments
    }


def missing_in(tx: Session, feed: int, meter: int, at: datetime, listed: Collection[str]) -> set[Mark]:
    """The resources of a feed that were there at a moment and are not in a list; each with the day last said of it."""
    row = SpellRow
    goes_on = or_(row.watermark_id.is_not(None), row.end_at > at)
    query = select(row.resource_id).join(ResourceRow, ResourceRow.id == row.resource_id)
    query = query.where(ResourceRow.feed_id == feed, row.meter_id == meter, row.start_at <= at, goes_on)
    there = set(tx.scalars(query.where(ResourceRow.name.not_in(listed)) if listed else query))
    if not there:
        return set()
    last = select(ReadingRow.resource_id, func.max(ReadingRow.start_at)).group_by(ReadingRow.resource_id)
    last = last.where(and_(ReadingRow.resource_id.in_(there), ReadingRow.meter_id == meter, ReadingRow.start_at < at))
    return {(resource, meter, said.astimezone(UTC).date()) for resource, said in tx.execute(last)}
