"""Pools of capacity: tables and queries."""

from collections.abc import Collection
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import ForeignKey, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, Quantity, ascii_text


class PoolRow(Base):
    """Capacity of one measure at a site of its organisation's; ``behind``, what it is made of, is its own."""

    __tablename__ = "pools"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    site_id: Mapped[UUID] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    measure: Mapped[str] = mapped_column(ascii_text(32))
    capacity: Mapped[Decimal] = mapped_column(Quantity)
    factor: Mapped[Decimal] = mapped_column(Quantity)
    behind: Mapped[str | None] = mapped_column(String(300))
    set_aside_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    """For whom alone it is, with all below; null is for all."""
    version: Mapped[int]
    retired_at: Mapped[datetime | None] = mapped_column(Moment)


def pools_of(tx: Session, organisation: UUID) -> list[PoolRow]:
    """The pools of an organisation that are in use, by site and slug."""
    row = PoolRow
    query = select(row).where(row.organisation_id == organisation, row.retired_at.is_(None))
    return list(tx.scalars(query.order_by(row.site_id, row.slug), execution_options={"populate_existing": True}))


def find_pool(tx: Session, pool: UUID, *, lock: bool = False) -> PoolRow | None:
    """A pool by its id."""
    return tx.get(PoolRow, pool, with_for_update=lock or None, populate_existing=True)


def pools_by_id(tx: Session, pools: Collection[UUID]) -> dict[UUID, PoolRow]:
    """Pools, retired ones too."""
    return {row.id: row for row in tx.scalars(select(PoolRow).where(PoolRow.id.in_(pools)))}
