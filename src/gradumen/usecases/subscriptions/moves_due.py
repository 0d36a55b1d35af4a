"""What is left to do on the day of a move: only the new seller holds the limits, what waited at the old one is over."""

from datetime import datetime
from uuid import UUID

from gradumen.core.subscriptions.moves import MoveState
from gradumen.store.organisations.details import lock_details
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.quota_requests import withdraw_requests
from gradumen.store.quotas.quotas import name_givers
from gradumen.store.subscriptions import moves as store
from gradumen.store.subscriptions.orders import withdraw_orders
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.cloud_limits import want_limits_of
from gradumen.usecases.scope import business_now

OVER = "It buys from another seller by now: ask or order there."


def complete_moves(uow: UnitOfWork, *, at: datetime) -> int:
    """Complete the moves whose moment has come, each in a transaction of its own; gives how many."""
    return sum(complete_move(uow, move=move, at=at) for move in due_moves(uow, at=at))


@use_case
def due_moves(tx: Session, *, at: datetime) -> list[UUID]:
    """The planned moves whose moment has come."""
    return store.due_moves(tx, business_now(tx, at))


@use_case
def complete_move(tx: Session, *, move: UUID, at: datetime) -> bool:
    """Complete one; False where that was done already. Who buys of whom, and what, was laid when it was planned."""
    row, now = store.lock_move(tx, move), business_now(tx, at)
    if row is None or row.state != MoveState.PLANNED or row.starts_at > now:
        return False
    lock_organisation(tx, row.organisation_id)
    name_givers(tx, row.organisation_id, giver=row.to_id)
    # Where the old seller had no limit and the new one has, what was never limited is nothing now.
    want_limits_of(tx, tx.get_one(OrganisationRow, row.organisation_id), row.to_id, at=at)
    withdraw_orders(tx, row.organisation_id, row.from_id, OVER, now)
    withdraw_requests(tx, row.organisation_id, row.from_id, OVER, now)
    # What the old seller said of it, where it is not kept under the seller's name.
    tx.get_one(OrganisationRow, row.organisation_id, populate_existing=True).segment = None
    lock_details(tx, row.organisation_id).payer_id = None
    row.state, row.ended_at = MoveState.DONE, now
    return True
