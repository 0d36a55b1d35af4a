"""Queries of requests for other limits."""

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

from sqlalchemy import select, tuple_, update
from sqlalchemy.orm import Session

from gradumen.store.quotas.tables import QuotaRequestRow

OPEN = "open"


def page_of_requests(
    tx: Session, asked_by: UUID, *, seller: UUID | None, after: tuple[datetime, UUID] | None, limit: int
) -> list[QuotaRequestRow]:
    """What an organisation asked for, the latest first, after a moment and id; with ``seller`` of that one alone.

    Without, what it is asked by those that it sells to, too.
    """
    row = QuotaRequestRow
    own = row.organisation_id == asked_by
    query = select(row).where(own & (row.seller_id == seller) if seller else own | (row.seller_id == asked_by))
    if after is not None:
        query = query.where(tuple_(row.asked_at, row.id) < after)
    return list(tx.scalars(query.order_by(row.asked_at.desc(), row.id.desc()).limit(limit)))


def open_requests(tx: Session, sellers: Collection[UUID], *, most: int) -> list[QuotaRequestRow]:
    """What sellers are asked and have not answered, the oldest first."""
    row = QuotaRequestRow
    query = select(row).where(row.seller_id.in_(sellers), row.state == OPEN)
    return list(tx.scalars(query.order_by(row.asked_at, row.id).limit(most)))


def answered_since(tx: Session, organisation: UUID, since: datetime, *, most: int) -> list[QuotaRequestRow]:
    """What an organisation asked for and was answered since a moment, the latest first."""
    row = QuotaRequestRow
    query = select(row).where(row.organisation_id == organisation, row.answered_at >= since, row.state != "withdrawn")
    return list(tx.scalars(query.order_by(row.answered_at.desc(), row.id).limit(most)))


def open_request(tx: Session, organisation: UUID, measure: str) -> QuotaRequestRow | None:
    """What an organisation asks for of a measure and waits for, for a decision."""
    row = QuotaRequestRow
    query = select(row).where(row.organisation_id == organisation, row.measure == measure, row.state == OPEN)
    return tx.scalars(query.with_for_update()).first()


def lock_request(tx: Session, request: UUID) -> QuotaRequestRow | None:
    """A request, for a decision."""
    return tx.get(QuotaRequestRow, request, with_for_update=True, populate_existing=True)


def withdraw_requests(tx: Session, organisation: UUID, seller: UUID, answer: str, at: datetime) -> None:
    """What an organisation asks a seller for and waits for is over."""
    row = QuotaRequestRow
    waiting = (row.organisation_id == organisation, row.seller_id == seller, row.state == OPEN)
    values = {"state": "withdrawn", "answer": answer, "answered_at": at}
    tx.execute(update(row).where(*waiting).values(values), execution_options={"synchronize_session": False})
