"""Queries of amounts that sellers enter by hand."""

from collections.abc import Collection
from datetime import date
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.store.subscriptions.tables import OneOffChargeRow, SupplyLineRow


def charges_between(tx: Session, seller: UUID, first: date, until: date) -> list[OneOffChargeRow]:
    """What a seller charges by hand from a day on up to another (not included), and has not withdrawn."""
    query = select(OneOffChargeRow).where(
        OneOffChargeRow.seller_id == seller,
        OneOffChargeRow.day >= first,
        OneOffChargeRow.day < until,
        OneOffChargeRow.withdrawn_at.is_(None),
    )
    return list(tx.scalars(query.order_by(OneOffChargeRow.id)))


def ever_charged_between(tx: Session, seller: UUID, first: date, until: date) -> list[OneOffChargeRow]:
    """What a seller charged by hand on the days from one up to another, also what it withdrew."""
    query = select(OneOffChargeRow).where(OneOffChargeRow.seller_id == seller)
    return list(tx.scalars(query.where(OneOffChargeRow.day >= first, OneOffChargeRow.day < until)))


def charges_by(tx: Session, seller: UUID) -> list[OneOffChargeRow]:
    """All that a seller entered, the latest first."""
    query = select(OneOffChargeRow).where(OneOffChargeRow.seller_id == seller)
    return list(tx.scalars(query.order_by(OneOffChargeRow.day.desc(), OneOffChargeRow.id)))


def last_charge_from(tx: Session, subscription: UUID, seller: UUID, day: date) -> OneOffChargeRow | None:
    """The last that a seller charges by hand on a subscription, on a day or later."""
    query = select(OneOffChargeRow).where(
        OneOffChargeRow.subscription_id == subscription,
        OneOffChargeRow.seller_id == seller,
        OneOffChargeRow.withdrawn_at.is_(None),
        OneOffChargeRow.day >= day,
    )
    return tx.scalars(query.order_by(OneOffChargeRow.day.desc()).limit(1)).first()


def charged_from(tx: Session, subscriptions: Collection[UUID], sellers: Collection[UUID], day: date) -> set[UUID]:
    """Which of some sellers charge anything by hand on subscriptions, on a day or later."""
    row = OneOffChargeRow
    query = select(row.seller_id).where(row.subscription_id.in_(subscriptions), row.seller_id.in_(sellers))
    return set(tx.scalars(query.where(row.day >= day, row.withdrawn_at.is_(None)).distinct()))


def lines_sold(tx: Session, seller: UUID, subscriptions: Collection[UUID]) -> dict[UUID, list[SupplyLineRow]]:
    """The lines by which a seller sells subscriptions, to one buyer or the next, in the order of their days.

    Void ones are there only where there is none that holds.
    """
    line = SupplyLineRow
    query = select(line).where(line.subscription_id.in_(subscriptions), line.seller_id == seller)
    found: dict[UUID, list[SupplyLineRow]] = {}
    for each in tx.scalars(query.order_by(line.starts_on)):
        found.setdefault(each.subscription_id, []).append(each)
    return {key: [each for each in lines if not each.void] or lines for key, lines in found.items()}
