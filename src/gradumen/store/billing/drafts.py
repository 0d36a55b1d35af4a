"""Queries of drafts: what is billed already, and the rows of what is to bill."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from gradumen.store.billing.invoices import drop_taxes
from gradumen.store.billing.tables import (
    BillRunRow,
    ChargePartRow,
    ChargeRow,
    InvoiceLineRow,
    InvoiceRow,
    RatedPeriodRow,
)

ChargeKey = tuple[UUID, UUID, str, UUID | None]
"""Supply line, rate card version, rate, and project where the rate counts per project."""
PartKey = tuple[UUID | None, str | None, date]
"""Project, resource, local day."""


def discard_drafts(tx: Session, seller: UUID, invoice: UUID | None = None) -> None:
    """Remove a seller's drafts, or one of them, and forget that their periods were rated."""
    drafts = select(InvoiceRow.id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    if invoice is not None:
        drafts = drafts.where(InvoiceRow.id == invoice)
    ids = list(tx.scalars(drafts))
    if not ids:
        return
    charges = list(tx.scalars(select(ChargeRow.id).where(ChargeRow.invoice_id.in_(ids))))
    runs = list(tx.scalars(select(InvoiceRow.bill_run_id).where(InvoiceRow.id.in_(ids)).distinct()))
    tx.execute(delete(RatedPeriodRow).where(RatedPeriodRow.bill_run_id.in_(runs)))
    tx.execute(delete(InvoiceLineRow).where(InvoiceLineRow.invoice_id.in_(ids)))
    drop_taxes(tx, ids)
    tx.execute(delete(ChargePartRow).where(ChargePartRow.charge_id.in_(charges)))
    tx.execute(delete(ChargeRow).where(ChargeRow.invoice_id.in_(ids)))
    tx.execute(delete(InvoiceRow).where(InvoiceRow.id.in_(ids)))


def was_rated(tx: Session, seller: UUID, period: str, revision: int) -> bool:
    """Whether a run rated this state of a seller's period; discarding its drafts forgets that."""
    query = (
        select(RatedPeriodRow.bill_run_id)
        .join(BillRunRow, BillRunRow.id == RatedPeriodRow.bill_run_id)
        .where(
            BillRunRow.seller_id == seller,
            RatedPeriodRow.period == period,
            RatedPeriodRow.revision == revision,
        )
    )
    return tx.scalars(query.limit(1)).first() is not None


def issued_charges(tx: Session, seller: UUID, period: str) -> list[ChargeRow]:
    """The charges of a service period on a seller's issued documents."""
    rows = tx.scalars(
        select(ChargeRow)
        .join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued", ChargeRow.period == period)
    )
    return list(rows)


def issued_parts(
    tx: Session, seller: UUID, period: str
) -> Iterable[tuple[ChargeKey, PartKey, tuple[Decimal, Decimal]]]:
    """What is billed of a service period, added up by charge and part: quantity and amount."""
    key = (ChargeRow.supply_line_id, ChargeRow.rate_card_version_id, ChargeRow.rate, ChargeRow.project_id)
    part = (ChargePartRow.project_id, ChargePartRow.resource, ChargePartRow.day)
    rows = tx.execute(
        select(*key, *part, func.sum(ChargePartRow.quantity), func.sum(ChargePartRow.amount))
        .join(ChargePartRow, ChargePartRow.charge_id == ChargeRow.id)
        .join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued", ChargeRow.period == period)
        .group_by(*key, *part)
    )
    for line, version, rate, scope, project, resource, day, quantity, amount in rows:
        yield (line, version, rate, scope), (project, resource, day), (quantity, amount)


def store_draft(
    tx: Session,
    charges: Sequence[dict[str, Any]],
    parts: Sequence[dict[str, Any]],
    lines: Sequence[dict[str, Any]],
) -> None:
    """The rows of a draft."""
    for table, rows in ((ChargeRow, charges), (ChargePartRow, parts), (InvoiceLineRow, lines)):
        if rows:
            tx.execute(insert(table), list(rows))
