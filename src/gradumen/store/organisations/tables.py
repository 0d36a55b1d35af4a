"""Organisations, their dated parent edges and billing zones, and projects."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import FetchedValue, ForeignKey, Index, Integer, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


class OrganisationRow(Base):
    __tablename__ = "organisations"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    type: Mapped[str] = mapped_column(ascii_text(16))
    slug: Mapped[str] = mapped_column(ascii_text(63), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    country: Mapped[str] = mapped_column(ascii_text(2))
    currency: Mapped[str] = mapped_column(ascii_text(3))
    segment: Mapped[str | None] = mapped_column(String(60))
    cost_centre: Mapped[str | None] = mapped_column(String(60))
    created_at: Mapped[datetime] = mapped_column(Moment)
    members_version: Mapped[int] = mapped_column(default=0)
    """Every decision about its members writes it, so that they queue."""


class ParentEdgeRow(Base):
    """From ``starts_at`` to ``ends_at`` (or for ever) ``parent_id`` sells to ``child_id``."""

    __tablename__ = "parent_edges"
    __table_args__ = (Index("ix_parent_edges_parent_id", "parent_id", "child_id"),)

    child_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    starts_at: Mapped[datetime] = mapped_column(Moment, primary_key=True)
    parent_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    ends_at: Mapped[datetime | None] = mapped_column(Moment)


class BillingZoneRow(Base):
    """The zone of a seller's days and periods, from the first day of a period on."""

    __tablename__ = "billing_zones"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    starts_on: Mapped[date] = mapped_column(primary_key=True)
    zone: Mapped[str] = mapped_column(ascii_text(64))


class ProjectRow(Base):
    __tablename__ = "projects"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    cost_centre: Mapped[str | None] = mapped_column(String(60))
    number: Mapped[int] = mapped_column(Integer, FetchedValue(), unique=True)
    """What usage calls it, from 1; the database counts."""


@dataclass(frozen=True, slots=True)
class Tree:
    """The organisations' parents at a moment, small enough to hold at once (16 bytes twice an organisation)."""

    parents: dict[UUID, UUID]

    def chain(self, organisation: UUID) -> list[UUID]:
        """The organisation, its seller, the seller's seller ... up to the root."""
        found = [organisation]
        while found[-1] in self.parents:
            found.append(self.parents[found[-1]])
        return found

    def below(self, roots: Iterable[UUID]) -> set[UUID]:
        """The roots and everything under them."""
        children: dict[UUID, list[UUID]] = {}
        for child, parent in self.parents.items():
            children.setdefault(parent, []).append(child)
        found: set[UUID] = set()
        pending = list(roots)
        while pending:
            organisation = pending.pop()
            if organisation not in found:
                found.add(organisation)
                pending.extend(children.get(organisation, ()))
        return found


def load_tree(tx: Session, at: datetime) -> Tree:
    """The tree at a moment of the business clock."""
    rows = tx.execute(
        select(ParentEdgeRow.child_id, ParentEdgeRow.parent_id).where(
            ParentEdgeRow.starts_at <= at, (ParentEdgeRow.ends_at.is_(None)) | (ParentEdgeRow.ends_at > at)
        )
    )
    return Tree({row.child_id: row.parent_id for row in rows})


def zone_name(tx: Session, organisation: UUID, day: date) -> str:
    """The billing zone that holds on a day."""
    row = tx.scalars(
        select(BillingZoneRow)
        .where(BillingZoneRow.organisation_id == organisation, BillingZoneRow.starts_on <= day)
        .order_by(BillingZoneRow.starts_on.desc())
        .limit(1)
    ).first()
    return row.zone if row else "UTC"
