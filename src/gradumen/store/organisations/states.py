"""Queries of the dated states of organisations."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gradumen.core.organisations.states import State
from gradumen.store.organisations.tables import StateRow
from gradumen.store.revisions import TREE, revise


def states_of(tx: Session, organisation: UUID) -> list[StateRow]:
    """The states that an organisation was in, is in and will be in, in their order."""
    query = select(StateRow).where(StateRow.organisation_id == organisation)
    return list(tx.scalars(query.order_by(StateRow.starts_at)))


def add_state(
    tx: Session, organisation: UUID, starts_at: datetime, state: State, reason: str | None, set_at: datetime
) -> None:
    """From a moment on an organisation is in a state; what was planned from then on goes. Its tree is revised."""
    drop_states(tx, organisation, starts_at)
    row = StateRow(organisation_id=organisation, starts_at=starts_at, state=state, reason=reason, set_at=set_at)
    tx.add(row)
    tx.flush()


def drop_states(tx: Session, organisation: UUID, since: datetime) -> None:
    """Forget what is planned from a moment on."""
    revise(tx, TREE)
    tx.execute(delete(StateRow).where(StateRow.organisation_id == organisation, StateRow.starts_at >= since))
