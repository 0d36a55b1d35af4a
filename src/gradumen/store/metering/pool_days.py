"""Pools day by day: what there was and what of it was promised; table and queries."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import Select, and_, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Figure, Moment, Quantity
from gradumen.store.metering.cloud_feeds import CloudFeedRow
from gradumen.store.metering.tables import ResourceRow, UsageDayRow
from gradumen.store.metering.usage import Which
from gradumen.store.organisations.clouds import CloudRow
from gradumen.store.quotas.pools import PoolRow


class PoolDayRow(Base):
    """What there was of a pool on a UTC day, as it was noted last; ``noted_at`` is in the service's time."""

    __tablename__ = "pool_days"

    pool_id: Mapped[UUID] = mapped_column(primary_key=True)
    day: Mapped[date] = mapped_column(primary_key=True)
    capacity: Mapped[Decimal] = mapped_column(Quantity)
    factor: Mapped[Decimal] = mapped_column(Quantity)
    promised: Mapped[Decimal] = mapped_column(Quantity)
    at_site: Mapped[Decimal] = mapped_column(Quantity)
    left: Mapped[Decimal] = mapped_column(Figure)
    noted_at: Mapped[datetime] = mapped_column(Moment)


@dataclass(frozen=True, slots=True)
class OfFeeds(Which):
    """Usage that comes by some feeds, of some meters; whoever owns it, or nobody."""

    feeds: Collection[int]
    meters: Collection[int]

    def of(self, query: Select[Any]) -> Select[Any]:
        """See `gradumen.store.metering.usage.Which`."""
        return query.join(ResourceRow, ResourceRow.id == UsageDayRow.resource_id).where(
            ResourceRow.feed_id.in_(self.feeds), UsageDayRow.meter_id.in_(self.meters)
        )


def pools_to_note(tx: Session, day: date, before: datetime, limit: int) -> list[PoolRow]:
    """Pools in use of which nothing is noted of a day since a moment."""
    of_the_day = and_(PoolDayRow.pool_id == PoolRow.id, PoolDayRow.day == day)
    query = select(PoolRow).outerjoin(PoolDayRow, of_the_day)
    query = query.where(PoolRow.retired_at.is_(None), or_(PoolDayRow.noted_at.is_(None), PoolDayRow.noted_at < before))
    return list(tx.scalars(query.order_by(PoolRow.organisation_id, PoolRow.id).limit(limit)))


def note(tx: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Note days of pools, over what was noted of the same before."""
    if rows:
        written = insert(PoolDayRow).values(list(rows))
        tx.execute(
            written.on_duplicate_key_update({name: written.inserted[name] for name in rows[0] if name != "pool_id"})
        )


def days_of(tx: Session, pool: UUID, first: date, end: date) -> Sequence[PoolDayRow]:
    """What was noted of a pool, from a day until before another."""
    row = PoolDayRow
    query = select(row).where(row.pool_id == pool, row.day >= first, row.day < end)
    return tx.scalars(query.order_by(row.day)).all()


def clouds_at(tx: Session, site: UUID, owner: UUID) -> list[UUID]:
    """The clouds of an organisation that run at a site, or did before they were retired."""
    return list(tx.scalars(select(CloudRow.id).where(CloudRow.site_id == site, CloudRow.organisation_id == owner)))


def feeds_of(tx: Session, clouds: Collection[UUID]) -> set[int]:
    """The feeds by which the usage of clouds comes."""
    return set(tx.scalars(select(CloudFeedRow.feed_id).where(CloudFeedRow.cloud_id.in_(clouds))))
