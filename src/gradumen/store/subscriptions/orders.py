"""Queries of customers' orders and of what goes through without approval."""

from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import func, select, tuple_, update
from sqlalchemy.orm import Session

from gradumen.core.subscriptions.orders import Approver, OrderState
from gradumen.store.subscriptions.tables import OrderPolicyRow, OrderRow


def page_of_orders(
    tx: Session,
    organisation: UUID,
    *,
    seller: UUID | None,
    state: str | None,
    after: tuple[datetime, UUID] | None,
    limit: int,
) -> list[OrderRow]:
    """What an organisation ordered, the latest first, after a moment and id; with ``seller`` what reached that one.

    Without, what reached it of those that it sells to, too.
    """
    row = OrderRow
    own = row.organisation_id == organisation
    sold = row.reached & (row.seller_id == (seller or organisation))
    query = select(row).where(own & sold if seller else own | sold)
    if state is not None:
        query = query.where(row.state == state)
    if after is not None:
        query = query.where(tuple_(row.asked_at, row.id) < after)
    return list(tx.scalars(query.order_by(row.asked_at.desc(), row.id.desc()).limit(limit)))


def waiting_orders(tx: Session, seller: UUID, *, most: int) -> list[OrderRow]:
    """What waits for a seller's approval, the oldest first."""
    row = OrderRow
    query = select(row).where(
        row.seller_id == seller, row.state == OrderState.WAITING, row.waits_for == Approver.SELLER
    )
    return list(tx.scalars(query.order_by(row.asked_at, row.id).limit(most)))


def answered_orders(tx: Session, organisation: UUID, since: datetime, *, most: int) -> list[OrderRow]:
    """What an organisation ordered and somebody approved or refused since a moment, the latest first."""
    row = OrderRow
    query = select(row).where(
        row.organisation_id == organisation,
        row.answered_at >= since,
        row.answered_by.is_not(None),
        row.state.in_([OrderState.DONE, OrderState.REFUSED]),
    )
    return list(tx.scalars(query.order_by(row.answered_at.desc(), row.id).limit(most)))


def waiting_among(tx: Session, organisation: UUID, *, most: int) -> list[OrderRow]:
    """What of an organisation's own orders waits for one of its people, the oldest first."""
    row = OrderRow
    query = select(row).where(
        row.organisation_id == organisation, row.state == OrderState.WAITING, row.waits_for == Approver.OWN
    )
    return list(tx.scalars(query.order_by(row.asked_at, row.id).limit(most)))


def ordered_since(tx: Session, organisation: UUID, currency: str, since: datetime, unapproved_by: Approver) -> Decimal:
    """What an organisation's orders since a moment add that went through without somebody's approval."""
    row = OrderRow
    passed = row.at_once if unapproved_by is Approver.SELLER else row.own_by.is_(None)
    query = select(func.sum(row.amount)).where(
        row.organisation_id == organisation,
        row.currency == currency,
        row.amount > Decimal(0),
        row.asked_at >= since,
        passed,
        (row.state == OrderState.DONE) | ((row.state == OrderState.WAITING) & (row.waits_for == Approver.SELLER)),
    )
    return tx.scalar(query) or Decimal(0)


def lock_order(tx: Session, order: UUID) -> OrderRow | None:
    """An order, for a decision."""
    return tx.get(OrderRow, order, with_for_update=True, populate_existing=True)


def policies_of(tx: Session, organisation: UUID) -> list[OrderPolicyRow]:
    """An organisation's policies, by whose they are and currency."""
    row = OrderPolicyRow
    query = select(row).where(row.organisation_id == organisation)
    return list(tx.scalars(query.order_by(row.approver, row.currency)))


def withdraw_orders(tx: Session, organisation: UUID, seller: UUID, answer: str, at: datetime) -> None:
    """What waits of an organisation's orders of a seller is over."""
    row = OrderRow
    waiting = (row.organisation_id == organisation, row.seller_id == seller, row.state == OrderState.WAITING)
    values = {"state": OrderState.WITHDRAWN, "waits_for": None, "answer": answer, "answered_at": at}
    tx.execute(update(row).where(*waiting).values(values), execution_options={"synchronize_session": False})
