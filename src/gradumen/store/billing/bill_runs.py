"""Queries of bill runs, and of what was issued of periods."""

from collections import Counter
from collections.abc import Collection
from decimal import Decimal
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import BillRunRow, ChargeRow, InvoiceLineRow, InvoiceRow


def runs_of(tx: Session, seller: UUID, limit: int) -> list[BillRunRow]:
    """A seller's runs, newest first."""
    query = select(BillRunRow).where(BillRunRow.seller_id == seller)
    return list(tx.scalars(query.order_by(BillRunRow.started_at.desc(), BillRunRow.id).limit(limit)))


def documents_by_state(tx: Session, runs: Collection[UUID]) -> Counter[tuple[UUID, str]]:
    """How many documents runs have, by run and state."""
    rows = tx.execute(
        select(InvoiceRow.bill_run_id, InvoiceRow.state, func.count())
        .where(InvoiceRow.bill_run_id.in_(runs))
        .group_by(InvoiceRow.bill_run_id, InvoiceRow.state)
    )
    return Counter({(run, state): count for run, state, count in rows})


def issued_periods(tx: Session, seller: UUID) -> list[str]:
    """The service periods that a seller has issued anything of."""
    rows = tx.scalars(
        select(ChargeRow.period)
        .join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued")
        .distinct()
        .order_by(ChargeRow.period)
    )
    return list(rows)


def billed_by_buyer(tx: Session, seller: UUID, period: str) -> dict[tuple[UUID, str], list[Decimal]]:
    """What was issued of a service period, net, by buyer and currency."""
    found: dict[tuple[UUID, str], list[Decimal]] = {}
    for buyer, currency, amount in tx.execute(
        select(InvoiceRow.buyer_id, InvoiceRow.currency, func.sum(InvoiceLineRow.amount))
        .join(InvoiceLineRow, InvoiceLineRow.invoice_id == InvoiceRow.id)
        .join(ChargeRow, ChargeRow.id == InvoiceLineRow.charge_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued", ChargeRow.period == period)
        .group_by(InvoiceRow.buyer_id, InvoiceRow.currency)
    ):
        found.setdefault((buyer, currency), []).append(amount)
    return found
