"""Queries of moves, and of the edges and subscriptions that they change."""

from collections.abc import Collection
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.subscriptions.moves import MoveState
from gradumen.store.organisations.tables import ParentEdgeRow
from gradumen.store.revisions import TREE, revise
from gradumen.store.subscriptions.tables import MoveRow, SubscriptionRow


def moves_of(tx: Session, organisation: UUID) -> list[MoveRow]:
    """The moves of an organisation, the latest first."""
    query = select(MoveRow).where(MoveRow.organisation_id == organisation)
    return list(tx.scalars(query.order_by(MoveRow.starts_at.desc(), MoveRow.planned_at.desc())))


def planned_move(tx: Session, organisations: Collection[UUID]) -> MoveRow | None:
    """The move that is planned of one of some organisations."""
    query = select(MoveRow).where(MoveRow.organisation_id.in_(organisations), MoveRow.state == MoveState.PLANNED)
    return tx.scalars(query.order_by(MoveRow.starts_at)).first()


def due_moves(tx: Session, at: datetime) -> list[UUID]:
    """The planned moves whose moment has come, the earliest first."""
    query = select(MoveRow.id).where(MoveRow.state == MoveState.PLANNED, MoveRow.starts_at <= at)
    return list(tx.scalars(query.order_by(MoveRow.starts_at)))


def moving_days(tx: Session, moments: Collection[datetime]) -> dict[datetime, date]:
    """Of moments at which somebody moves the days that begin then, on the clocks that each move goes by."""
    if not moments:
        return {}
    query = select(MoveRow.starts_at, MoveRow.starts_on).where(MoveRow.starts_at.in_(moments))
    return {row.starts_at: row.starts_on for row in tx.execute(query)}


def lock_move(tx: Session, move: UUID) -> MoveRow | None:
    """A move, for a decision."""
    return tx.get(MoveRow, move, with_for_update=True, populate_existing=True)


def add_edge(tx: Session, child: UUID, parent: UUID, at: datetime) -> None:
    """Somebody buys from another seller from a moment on."""
    revise(tx, TREE)
    for row in _open_edges(tx, child):
        row.ends_at = at
    tx.flush()
    tx.add(ParentEdgeRow(child_id=child, starts_at=at, parent_id=parent, ends_at=None))
    tx.flush()


def drop_edge(tx: Session, child: UUID, at: datetime) -> None:
    """What was to begin at a moment does not; the edge before goes on."""
    revise(tx, TREE)
    tx.delete(tx.get_one(ParentEdgeRow, (child, at)))
    query = select(ParentEdgeRow).where(ParentEdgeRow.child_id == child, ParentEdgeRow.ends_at == at)
    for row in tx.scalars(query):
        row.ends_at = None
    tx.flush()


def _open_edges(tx: Session, child: UUID) -> list[ParentEdgeRow]:
    query = select(ParentEdgeRow).where(ParentEdgeRow.child_id == child, ParentEdgeRow.ends_at.is_(None))
    return list(tx.scalars(query))


def subscriptions_from(tx: Session, organisations: Collection[UUID], day: date) -> list[SubscriptionRow]:
    """The subscriptions of organisations that cover a day or a later one, held for a decision, in a fixed order."""
    row = SubscriptionRow
    query = select(row).where(row.organisation_id.in_(organisations), row.ends_on.is_(None) | (row.ends_on > day))
    return list(tx.scalars(query.order_by(row.id).with_for_update()))


def subscriptions_until(tx: Session, organisations: Collection[UUID], day: date) -> list[SubscriptionRow]:
    """The subscriptions of organisations that end with the day before one, held for a decision, in a fixed order."""
    row = SubscriptionRow
    query = select(row).where(row.organisation_id.in_(organisations), row.ends_on == day, row.starts_on < day)
    return list(tx.scalars(query.order_by(row.id).with_for_update()))
