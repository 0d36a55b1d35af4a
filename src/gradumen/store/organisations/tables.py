"""Organisations, their dated parent edges and billing zones, and projects."""

from bisect import bisect_right
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import FetchedValue, ForeignKey, Index, Integer, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.revisions import TREE, kept


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


class Tree:
    """The organisations' parents at a moment, small enough to hold at once (16 bytes twice an organisation)."""

    def __init__(self, parents: Mapping[UUID, UUID]) -> None:
        self.parents = parents
        self._children: dict[UUID, list[UUID]] = {}
        for child, parent in parents.items():
            self._children.setdefault(parent, []).append(child)
        self._below: dict[UUID, frozenset[UUID]] = {}

    def children(self, organisation: UUID) -> Sequence[UUID]:
        """Those that an organisation sells to."""
        return self._children.get(organisation, ())

    def chain(self, organisation: UUID) -> list[UUID]:
        """The organisation, its seller, the seller's seller ... up to the root."""
        found = [organisation]
        while found[-1] in self.parents:
            found.append(self.parents[found[-1]])
        return found

    def below(self, roots: Iterable[UUID]) -> frozenset[UUID]:
        """The roots and everything under them."""
        found: list[frozenset[UUID]] = [self._all_below(root) for root in roots]
        return found[0] if len(found) == 1 else frozenset().union(*found)

    def _all_below(self, root: UUID) -> frozenset[UUID]:
        if root not in self._below:
            found = {root}
            pending = [root]
            while pending:
                for child in self.children(pending.pop()):
                    found.add(child)
                    pending.append(child)
            self._below[root] = frozenset(found)
        return self._below[root]


class _Edges:
    """All edges there ever were, and the trees that they make between two changes."""

    def __init__(self, rows: Sequence[tuple[UUID, UUID, datetime, datetime | None]]) -> None:
        self.rows = rows
        self.changes = sorted({each for row in rows for each in row[2:] if each is not None})
        self._trees: dict[int, Tree] = {}

    def at(self, moment: datetime) -> Tree:
        place = bisect_right(self.changes, moment)
        if place not in self._trees:
            self._trees[place] = Tree(
                {
                    child: parent
                    for child, parent, starts, ends in self.rows
                    if starts <= moment and (ends is None or ends > moment)
                }
            )
        return self._trees[place]


def load_tree(tx: Session, at: datetime) -> Tree:
    """The tree at a moment of the business clock."""

    def read() -> _Edges:
        columns = (ParentEdgeRow.child_id, ParentEdgeRow.parent_id, ParentEdgeRow.starts_at, ParentEdgeRow.ends_at)
        return _Edges([(child, parent, starts, ends) for child, parent, starts, ends in tx.execute(select(*columns))])

    return kept(tx, TREE, read).at(at)


def zone_name(tx: Session, organisation: UUID, day: date) -> str:
    """The billing zone that holds on a day."""
    return zone_names(tx, {organisation}, day)[organisation]


def zone_names(tx: Session, organisations: Collection[UUID], day: date) -> dict[UUID, str]:
    """The billing zones of organisations that hold on a day."""
    rows = tx.scalars(
        select(BillingZoneRow)
        .where(BillingZoneRow.organisation_id.in_(organisations), BillingZoneRow.starts_on <= day)
        .order_by(BillingZoneRow.starts_on)
    )
    return dict.fromkeys(organisations, "UTC") | {row.organisation_id: row.zone for row in rows}
