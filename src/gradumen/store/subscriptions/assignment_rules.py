"""Queries of assignment rules."""

from collections.abc import Collection
from datetime import date
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.store.subscriptions.tables import AssignmentRuleRow, SubscriptionRow, SupplyLineRow


def rules_of(tx: Session, organisations: Collection[UUID]) -> list[tuple[AssignmentRuleRow, str]]:
    """The rules of organisations in the order in which they apply, with the names of their subscriptions."""
    rows = tx.execute(
        select(AssignmentRuleRow, SubscriptionRow.name)
        .join(SubscriptionRow, SubscriptionRow.id == AssignmentRuleRow.subscription_id)
        .where(AssignmentRuleRow.organisation_id.in_(organisations))
        .order_by(AssignmentRuleRow.position, AssignmentRuleRow.slug)
    )
    return [(rule, name) for rule, name in rows]


def lock_rule(tx: Session, organisation: UUID, slug: str) -> AssignmentRuleRow | None:
    """An organisation's rule, for a decision."""
    query = select(AssignmentRuleRow).where(
        AssignmentRuleRow.organisation_id == organisation, AssignmentRuleRow.slug == slug
    )
    return tx.scalars(query.with_for_update()).first()


def rules_sold_by(tx: Session, seller: UUID, day: date) -> list[tuple[AssignmentRuleRow, str]]:
    """The rules of a seller's own customers that do not end by a day, with the names of their subscriptions."""
    rows = tx.execute(
        select(AssignmentRuleRow, SubscriptionRow.name)
        .join(SubscriptionRow, SubscriptionRow.id == AssignmentRuleRow.subscription_id)
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .where(SupplyLineRow.seller_id == seller, SupplyLineRow.depth == 0, ~SupplyLineRow.void)
        .where(AssignmentRuleRow.ends_on.is_(None) | (AssignmentRuleRow.ends_on > day))
        .distinct()
    )
    return [(rule, name) for rule, name in rows]
