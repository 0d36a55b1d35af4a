"""What was refused of deliveries, with what was sent; table and queries."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, Index, String, Text, delete, insert, select, tuple_
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment
from gradumen.store.metering.tables import DeliveryRow


class RefusedItemRow(Base):
    """An item of a delivery that was refused: what it is called, and what of it was ``sent``, where that is known.

    Without foreign keys, as there may be many.
    """

    __tablename__ = "refused_items"
    __table_args__ = (Index("ix_refused_items_refused_at", "refused_at"),)

    delivery_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    item: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))
    field: Mapped[str | None] = mapped_column(String(60))
    reason: Mapped[str] = mapped_column(String(1000))
    sent: Mapped[str | None] = mapped_column(Text)
    refused_at: Mapped[datetime] = mapped_column(Moment)


def keep_refused(tx: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Keep what was refused."""
    tx.execute(insert(RefusedItemRow), rows)


def drop_refused(tx: Session, delivery: int, positions: Collection[int]) -> None:
    """Keep some of a delivery no longer."""
    row = RefusedItemRow
    if positions:
        tx.execute(delete(row).where(row.delivery_id == delivery, row.position.in_(positions)))


def refused_items(
    tx: Session,
    feed: int,
    *,
    sent_by: UUID | None,
    delivery: int | None,
    after: tuple[int, int] | None,
    limit: int,
) -> list[tuple[RefusedItemRow, DeliveryRow]]:
    """What was refused of a feed, the newest delivery first, each in its order; after a delivery and place.

    Args:
        sent_by: only of what somebody sent.
        delivery: only of one.
    """
    row = RefusedItemRow
    query = select(row, DeliveryRow).join(DeliveryRow, DeliveryRow.id == row.delivery_id)
    query = query.where(DeliveryRow.feed_id == feed, DeliveryRow.refused > 0)
    if sent_by is not None:
        query = query.where(DeliveryRow.sent_by == sent_by)
    if delivery is not None:
        query = query.where(row.delivery_id == delivery)
    if after is not None:
        number, position = after
        query = query.where(tuple_(-row.delivery_id, row.position) > (-number, position))
    found = tx.execute(query.order_by(row.delivery_id.desc(), row.position).limit(limit))
    return [(item, of) for item, of in found]


def forget_refused(tx: Session, before: datetime, most: int) -> int:
    """Forget what was refused before a moment, so many at most; gives how many."""
    row = RefusedItemRow
    gone = tx.execute(delete(row).where(row.refused_at < before).with_dialect_options(mysql_limit=most))
    return int(getattr(gone, "rowcount", 0))
