"""Queries of deliveries of files, and of the readings of one that is taken back."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import and_, delete, exists, select
from sqlalchemy.orm import Session

from gradumen.store.metering.tables import (
    REPLACED,
    DeliveryRow,
    FeedRow,
    OriginRow,
    ReadAgainRow,
    ReadingKeyRow,
    ReadingRow,
    SupersededReadingRow,
)

Standing = tuple[str, str, tuple[int, int, int, int, datetime, datetime]]
"""Source and event id of a reading; its delivery and place there, resource, meter, start and end."""


def lock_feed(tx: Session, feed: int) -> FeedRow:
    """A feed for a decision: files that are sent to it, and that are taken back, queue here."""
    return tx.scalars(select(FeedRow).where(FeedRow.id == feed).with_for_update()).one()


def same_file(tx: Session, feed: int, content_hash: bytes) -> DeliveryRow | None:
    """The delivery that brought a file, was not taken back, and had nothing refused."""
    query = select(DeliveryRow).where(DeliveryRow.feed_id == feed, DeliveryRow.content_hash == content_hash)
    query = query.where(DeliveryRow.taken_back_by.is_(None), DeliveryRow.refused == 0)
    return tx.scalars(query.order_by(DeliveryRow.id.desc()).limit(1)).first()


def find_delivery(tx: Session, delivery: UUID) -> DeliveryRow | None:
    """A delivery by what it is called outside."""
    return tx.scalars(select(DeliveryRow).where(DeliveryRow.public_id == delivery)).first()


def deliveries_by_number(tx: Session, numbers: Collection[int]) -> dict[int, DeliveryRow]:
    """Deliveries by number."""
    return {row.id: row for row in tx.scalars(select(DeliveryRow).where(DeliveryRow.id.in_(numbers)))}


def has_replaced(tx: Session, delivery: int) -> bool:
    """Whether readings of a delivery took the place of earlier ones."""
    found = select(
        exists().where(SupersededReadingRow.by_delivery_id == delivery, SupersededReadingRow.delivery_id != delivery)
    )
    return bool(tx.scalar(found))


def standing_readings(
    tx: Session, delivery: int, bounds: tuple[datetime | None, datetime | None]
) -> Sequence[Standing]:
    """A delivery's readings that no later one replaced, also as they were read again since.

    Args:
        bounds: when the first and the last of them start, where that is known.
    """
    first, last = bounds
    query = (
        select(
            OriginRow.source, ReadingRow.event_id, ReadingRow.delivery_id, ReadingRow.position, ReadingRow.resource_id,
            ReadingRow.meter_id, ReadingRow.start_at, ReadingRow.end_at,
        )
        .join(OriginRow, OriginRow.id == ReadingRow.origin_id)
        .outerjoin(SupersededReadingRow, REPLACED)
        .where(SupersededReadingRow.delivery_id.is_(None))
    )  # fmt: skip
    if first is not None and last is not None:
        query = query.where(ReadingRow.start_at >= first, ReadingRow.start_at <= last)
    again = ReadAgainRow
    place = and_(again.delivery_id == ReadingRow.delivery_id, again.position == ReadingRow.position)
    queries = [query.where(ReadingRow.delivery_id == delivery)]
    by = list(tx.scalars(select(again.delivery_id).distinct().where(again.sent_delivery_id == delivery)))
    if by:
        moved = query.join(again, place).where(again.sent_delivery_id == delivery)
        queries.append(moved.where(ReadingRow.delivery_id.in_(by)))
    rows: list[Any] = [row for each in queries for row in tx.execute(each)]
    return [(row[0], row[1], tuple(row[2:])) for row in rows]


def drop_keys(tx: Session, keys: Collection[bytes]) -> None:
    """What was known under keys is not known any more."""
    tx.execute(
        delete(ReadingKeyRow).where(ReadingKeyRow.key.in_(keys)), execution_options={"synchronize_session": False}
    )
