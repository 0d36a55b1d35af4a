"""Queries of documents, their lines and taxes."""

from collections.abc import Collection
from decimal import Decimal
from uuid import UUID

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.dialects.mysql import insert as upsert
from sqlalchemy.orm import Session

from gradumen.core.billing.documents import TaxedLine, Taxes, TaxGroup, TaxRate
from gradumen.core.exact import add
from gradumen.store.billing.tables import (
    ChargeRow,
    DocumentCounterRow,
    InvoiceLineRow,
    InvoiceRow,
    InvoiceTaxRow,
    ReturnedTaxRow,
)


def lock_documents(tx: Session, seller: UUID) -> None:
    """Write the row that every decision about a seller's documents writes."""
    statement = upsert(DocumentCounterRow).values(seller_id=seller, series="all", next_number=1, version=1)
    tx.execute(statement.on_duplicate_key_update(version=DocumentCounterRow.version + 1))


def issued_lines(tx: Session, seller: UUID, period: str) -> list[tuple[ChargeRow, InvoiceLineRow]]:
    """What is billed of a service period, line by line, in the order in which it was issued."""
    rows = tx.execute(
        select(ChargeRow, InvoiceLineRow)
        .join(InvoiceLineRow, InvoiceLineRow.charge_id == ChargeRow.id)
        .join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued", ChargeRow.period == period)
        .order_by(InvoiceRow.issued_at, InvoiceRow.number, InvoiceLineRow.position)
    )
    return [(charge, line) for charge, line in rows]


def taxes_left(tx: Session, documents: Collection[UUID]) -> dict[UUID, Decimal]:
    """The tax that issued documents charged themselves and that no later one gave back.

    A document's own tax is that of its lines less what it gives back of others.
    """
    own = tx.execute(select(InvoiceRow.id, InvoiceRow.tax).where(InvoiceRow.id.in_(documents)))
    left = {document: tax for document, tax in own}  # noqa: C416  # rows are not typed as pairs
    issued = select(InvoiceRow.id).where(InvoiceRow.state == "issued")
    for column, sign in ((ReturnedTaxRow.invoice_id, -1), (ReturnedTaxRow.corrects_id, 1)):
        rows = tx.execute(
            select(column, func.sum(ReturnedTaxRow.tax))
            .where(column.in_(documents), ReturnedTaxRow.invoice_id.in_(issued))
            .group_by(column)
        )
        for document, tax in rows:
            left[document] = add([left[document], tax if sign > 0 else tax.copy_negate()])
    return left


def set_own_tax(tx: Session, invoice: UUID, tax: TaxRate) -> None:
    """Give a draft another tax of its own; what its lines give back of others keeps theirs."""
    tx.execute(
        update(InvoiceLineRow)
        .where(InvoiceLineRow.invoice_id == invoice, InvoiceLineRow.corrects_id.is_(None))
        .values(tax_category=tax.category, tax_percent=tax.percent)
    )


def taxed_lines(tx: Session, invoice: UUID) -> list[TaxedLine[UUID]]:
    """The lines of a document, as its taxes are computed from them."""
    rows = tx.scalars(select(InvoiceLineRow).where(InvoiceLineRow.invoice_id == invoice))
    return [TaxedLine(row.tax_category, row.tax_percent, row.amount, row.corrects_id) for row in rows]


def store_taxes(tx: Session, invoice: UUID, taxes: Taxes[UUID]) -> None:
    """The taxes of a draft, in place of those of before."""
    drop_taxes(tx, [invoice])
    rows = [
        {"invoice_id": invoice, "category": each.category, "percent": each.percent, "net": each.net, "tax": each.tax}
        for each in taxes.groups
    ]
    if rows:
        tx.execute(insert(InvoiceTaxRow), rows)
    back = [{"invoice_id": invoice, "corrects_id": each, "tax": tax} for each, tax in taxes.given_back.items()]
    if back:
        tx.execute(insert(ReturnedTaxRow), back)


def drop_taxes(tx: Session, invoices: Collection[UUID]) -> None:
    """The taxes of drafts go with them."""
    for table in (InvoiceTaxRow, ReturnedTaxRow):
        tx.execute(delete(table).where(table.invoice_id.in_(invoices)))


def stored_taxes(tx: Session, invoice: UUID) -> list[TaxGroup]:
    """The taxes of a document, by category and percentage."""
    rows = tx.scalars(
        select(InvoiceTaxRow)
        .where(InvoiceTaxRow.invoice_id == invoice)
        .order_by(InvoiceTaxRow.category, InvoiceTaxRow.percent)
    )
    return [TaxGroup(row.category, row.percent, row.net, row.tax) for row in rows]


def last_billed_period(tx: Session, seller: UUID) -> str | None:
    """The newest period of which a seller has issued documents."""
    query = select(InvoiceRow.period).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued")
    return tx.scalar(query.order_by(InvoiceRow.period.desc()).limit(1))
