"""Rules of ownership that are tried on what came in, and what came of it."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select, tuple_, update
from sqlalchemy.orm import Session, defer

from gradumen.core.tasks import UNDER_WAY
from gradumen.store.billing.tables import OwnershipTrialRow
from gradumen.store.tasks import TaskRow


def find_trial(tx: Session, identity: UUID) -> OwnershipTrialRow | None:
    """A trial by its id."""
    return tx.get(OwnershipTrialRow, identity)


def page_of_trials(
    tx: Session, seller: UUID, *, after: tuple[datetime, UUID] | None, limit: int
) -> list[tuple[OwnershipTrialRow, TaskRow]]:
    """A seller's trials with their tasks, newest first, without what came of them."""
    row = OwnershipTrialRow
    query = select(row, TaskRow).join(TaskRow, TaskRow.id == row.id).where(row.seller_id == seller)
    query = query.options(defer(row.rules), defer(row.outcome))
    if after is not None:
        query = query.where(tuple_(row.asked_at, row.id) < after)
    found = tx.execute(query.order_by(row.asked_at.desc(), row.id.desc()).limit(limit))
    return [(trial, task) for trial, task in found]


def count_under_way(tx: Session, seller: UUID) -> int:
    """How many of a seller's trials wait or are being worked on."""
    row = OwnershipTrialRow
    query = select(func.count()).select_from(row).join(TaskRow, TaskRow.id == row.id)
    return tx.execute(query.where(row.seller_id == seller, TaskRow.state.in_(UNDER_WAY))).scalar_one()


def put_outcome(tx: Session, identity: UUID, outcome: dict[str, Any]) -> None:
    """Store what came of one."""
    row = OwnershipTrialRow
    tx.execute(update(row).where(row.id == identity).values(outcome=outcome))


def forget_trials(tx: Session, before: datetime, limit: int) -> int:
    """Remove so many of before a time at most that are not under way; gives how many."""
    row = OwnershipTrialRow
    old = select(row.id).join(TaskRow, TaskRow.id == row.id).where(row.asked_at < before)
    ids = list(tx.scalars(old.where(TaskRow.state.not_in(UNDER_WAY)).limit(limit)))
    if ids:
        tx.execute(delete(row).where(row.id.in_(ids)))
    return len(ids)
