"""Queries of customers that are brought on board, and of what goes through without approval."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, select, tuple_
from sqlalchemy.orm import Session

from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.store.subscriptions.tables import OnboardingPolicyRow, OnboardingRow


def page_of_onboardings(
    tx: Session, seller: UUID, *, state: str | None, after: tuple[datetime, UUID] | None, limit: int
) -> list[OnboardingRow]:
    """Those of a seller, the last changed first, after a moment and id; without a state all but what was given up."""
    row = OnboardingRow
    query = select(row).where(row.seller_id == seller)
    query = query.where(row.state != OnboardingState.WITHDRAWN if state is None else row.state == state)
    if after is not None:
        query = query.where(tuple_(row.changed_at, row.id) < after)
    return list(tx.scalars(query.order_by(row.changed_at.desc(), row.id.desc()).limit(limit)))


def waiting_onboardings(tx: Session, seller: UUID, *, most: int) -> list[OnboardingRow]:
    """What waits for a seller's approval, the oldest first."""
    row = OnboardingRow
    query = select(row).where(row.seller_id == seller, row.state == OnboardingState.WAITING)
    return list(tx.scalars(query.order_by(row.asked_at, row.id).limit(most)))


def told_since(tx: Session, seller: UUID, since: datetime) -> list[dict[str, Any]]:
    """What those came to that went through since a moment without approval."""
    row = OnboardingRow
    query = select(row.told).where(
        row.seller_id == seller,
        row.state.in_([OnboardingState.RUNNING, OnboardingState.DONE]),
        row.at_once,
        row.asked_at >= since,
    )
    return [told for told in tx.scalars(query) if told is not None]


def lock_onboarding(tx: Session, onboarding: UUID) -> OnboardingRow | None:
    """An onboarding, for a decision."""
    return tx.get(OnboardingRow, onboarding, with_for_update=True, populate_existing=True)


def find_onboarding(tx: Session, onboarding: UUID) -> OnboardingRow | None:
    """An onboarding, to look at."""
    return tx.get(OnboardingRow, onboarding)


def policies_of(tx: Session, organisation: UUID) -> list[OnboardingPolicyRow]:
    """What goes through without approval, by currency and measure."""
    row = OnboardingPolicyRow
    return list(tx.scalars(select(row).where(row.organisation_id == organisation).order_by(row.subject)))


def drop_policy(tx: Session, organisation: UUID, subject: str) -> None:
    """Let any amount through."""
    row = OnboardingPolicyRow
    tx.execute(delete(row).where(row.organisation_id == organisation, row.subject == subject))
