"""Hosts of clouds, day by day: tables and queries."""

from collections.abc import Collection, Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal
from itertools import islice
from typing import Any
from uuid import UUID

from sqlalchemy import ForeignKey, Index, String, and_, func, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.quotas.hosts import LONGEST_HOST, LONGEST_RESOURCE, WHOLE, Stock
from gradumen.store.columns import Base, Figure, Moment
from gradumen.store.organisations.clouds import CloudRow

ROWS = 500
"""Written by one statement."""


class HostLookRow(Base):
    """How looking at the hosts of a cloud goes; ``looked_at`` is in the service's time, the rest is the real clock's.

    ``look`` is the number of the last that brought something.
    ``tells`` is false of a cloud that does not tell of its hosts; null is not known yet.
    """

    __tablename__ = "host_looks"
    __table_args__ = (Index("ix_host_looks_next_at", "next_at"),)

    cloud_id: Mapped[UUID] = mapped_column(ForeignKey("clouds.id", ondelete="RESTRICT"), primary_key=True)
    next_at: Mapped[datetime] = mapped_column(Moment)
    look: Mapped[int]
    looked_at: Mapped[datetime | None] = mapped_column(Moment)
    tells: Mapped[bool | None]
    problem: Mapped[str | None] = mapped_column(String(500))
    failing_since: Mapped[datetime | None] = mapped_column(Moment)
    task_id: Mapped[UUID | None] = mapped_column(ForeignKey("tasks.id", ondelete="SET NULL"))
    """The last look."""


class HostDayRow(Base):
    """What a host had of a resource on a UTC day, as it was told last; in use also the least and most of all looks.

    ``host`` is empty for all hosts of the cloud together, ``look`` the number of the last look that told of it.
    """

    __tablename__ = "host_days"

    cloud_id: Mapped[UUID] = mapped_column(primary_key=True)
    day: Mapped[date] = mapped_column(primary_key=True)
    host: Mapped[str] = mapped_column(String(LONGEST_HOST, collation="utf8mb4_bin"), primary_key=True)
    resource: Mapped[str] = mapped_column(String(LONGEST_RESOURCE, collation="utf8mb4_bin"), primary_key=True)
    hosts: Mapped[int]
    total: Mapped[Decimal] = mapped_column(Figure)
    reserved: Mapped[Decimal] = mapped_column(Figure)
    factor: Mapped[Decimal | None] = mapped_column(Figure)
    capacity: Mapped[Decimal] = mapped_column(Figure)
    used: Mapped[Decimal] = mapped_column(Figure)
    used_least: Mapped[Decimal] = mapped_column(Figure)
    used_most: Mapped[Decimal] = mapped_column(Figure)
    looks: Mapped[int]
    look: Mapped[int]


def find_look(tx: Session, cloud: UUID, *, lock: bool = False) -> HostLookRow | None:
    """How looking at a cloud's hosts goes; None where it has not begun."""
    return tx.get(HostLookRow, cloud, with_for_update=lock or None, populate_existing=True)


def due_clouds(tx: Session, at: datetime, limit: int) -> list[CloudRow]:
    """Clouds in use at whose hosts it is time to look."""
    query = select(CloudRow).outerjoin(HostLookRow, HostLookRow.cloud_id == CloudRow.id)
    query = query.where(CloudRow.retired_at.is_(None), or_(HostLookRow.next_at.is_(None), HostLookRow.next_at <= at))
    return list(tx.scalars(query.order_by(HostLookRow.next_at, CloudRow.id).limit(limit)))


def silent_hosts(tx: Session, owner: UUID, since: datetime) -> list[tuple[str, str, HostLookRow]]:
    """Slugs and names of an organisation's clouds in use that told of their hosts, and have not since a moment."""
    query = select(CloudRow.slug, CloudRow.name, HostLookRow).join(HostLookRow, HostLookRow.cloud_id == CloudRow.id)
    query = query.where(CloudRow.organisation_id == owner, CloudRow.retired_at.is_(None))
    query = query.where(HostLookRow.failing_since < since, HostLookRow.looked_at.is_not(None))
    return [(slug, name, look) for slug, name, look in tx.execute(query.order_by(CloudRow.slug))]


def keep_stocks(tx: Session, cloud: UUID, day: date, stocks: Iterable[Stock], look: int) -> None:
    """Note what a look told, over what was told before on the same day."""
    left = iter(stocks)
    while some := list(islice(left, ROWS)):
        written = insert(HostDayRow).values([_values(cloud, day, each, look) for each in some])
        told = written.inserted
        tx.execute(
            written.on_duplicate_key_update(
                hosts=told.hosts,
                total=told.total,
                reserved=told.reserved,
                factor=told.factor,
                capacity=told.capacity,
                used=told.used,
                used_least=func.least(HostDayRow.used_least, told.used),
                used_most=func.greatest(HostDayRow.used_most, told.used),
                looks=HostDayRow.looks + 1,
                look=told.look,
            )
        )


def _values(cloud: UUID, day: date, each: Stock, look: int) -> dict[str, Any]:
    return {
        "cloud_id": cloud,
        "day": day,
        "host": each.host,
        "resource": each.resource,
        "hosts": each.hosts,
        "total": each.total,
        "reserved": each.reserved,
        "factor": each.factor,
        "capacity": each.capacity,
        "used": each.used,
        "used_least": each.used,
        "used_most": each.used,
        "looks": 1,
        "look": look,
    }


def told_at(tx: Session, cloud: UUID, day: date, look: int) -> list[HostDayRow]:
    """What all hosts together had at the last look of a day, by resource."""
    row = HostDayRow
    query = select(row).where(row.cloud_id == cloud, row.day == day, row.host == WHOLE, row.look == look)
    return list(tx.scalars(query.order_by(row.resource)))


def page_of_hosts(
    tx: Session, cloud: UUID, day: date, look: int, *, search: str, after: tuple[str, str] | None, limit: int
) -> list[HostDayRow]:
    """What hosts had at the last look of a day, by host and resource, after one."""
    row = HostDayRow
    query = select(row).where(row.cloud_id == cloud, row.day == day, row.host != WHOLE, row.look == look)
    if search:
        wanted = search.lower()
        query = query.where(
            or_(*(func.lower(each).contains(wanted, autoescape=True) for each in (row.host, row.resource)))
        )
    if after is not None:
        host, resource = after
        query = query.where(or_(row.host > host, and_(row.host == host, row.resource > resource)))
    return list(tx.scalars(query.order_by(row.host, row.resource).limit(limit)))


def days_of(
    tx: Session, clouds: Collection[UUID], host: str, first: date, end: date, *, resource: str | None = None
) -> Sequence[HostDayRow]:
    """What a host of clouds, or all together, had from a day until before another, by day and resource."""
    row = HostDayRow
    query = select(row).where(row.cloud_id.in_(clouds), row.host == host, row.day >= first, row.day < end)
    if resource is not None:
        query = query.where(row.resource == resource)
    return tx.scalars(query.order_by(row.day, row.resource, row.cloud_id)).all()
