"""Queries of what organisations demand of who signs in."""

from uuid import UUID

from sqlalchemy.orm import Session

from gradumen.core.organisations.sign_in_policies import Demand
from gradumen.store.organisations.tables import SignInPolicyRow
from gradumen.store.revisions import TREE, revise


def own_demand(tx: Session, organisation: UUID) -> Demand | None:
    """What an organisation itself demands."""
    row = tx.get(SignInPolicyRow, organisation, populate_existing=True)
    return Demand(row.second_factor) if row else None


def set_demand(tx: Session, organisation: UUID, demand: Demand | None) -> None:
    """Let it demand this from now on; it is kept with the tree."""
    row = tx.get(SignInPolicyRow, organisation)
    if demand is not None:
        tx.merge(SignInPolicyRow(organisation_id=organisation, second_factor=demand))
    elif row is not None:
        tx.delete(row)
    tx.flush()
    revise(tx, TREE)
