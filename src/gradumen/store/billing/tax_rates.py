"""Queries of tax rates."""

from datetime import date
from decimal import Decimal
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import InvoiceRow, TaxRateRow
from gradumen.store.organisations.tables import OrganisationRow


def issued_from(tx: Session, seller: UUID, country: str, day: date) -> str | None:
    """The number of a document that a seller issued to buyers of a country on a day or later."""
    return tx.scalar(
        select(InvoiceRow.number)
        .join(OrganisationRow, OrganisationRow.id == InvoiceRow.buyer_id)
        .where(InvoiceRow.seller_id == seller, InvoiceRow.invoice_date >= day, OrganisationRow.country == country)
        .limit(1)
    )


def store_tax_rate(tx: Session, seller: UUID, country: str, starts_on: date, category: str, percent: Decimal) -> None:
    """A rate from a day on, in place of the one that began that day."""
    statement = insert(TaxRateRow).values(
        seller_id=seller, country=country, starts_on=starts_on, category=category, percent=percent
    )
    tx.execute(statement.on_duplicate_key_update(category=category, percent=percent))


def tax_rates_of(tx: Session, seller: UUID) -> list[TaxRateRow]:
    """A seller's rates, by country and day."""
    query = select(TaxRateRow).where(TaxRateRow.seller_id == seller)
    return list(tx.scalars(query.order_by(TaxRateRow.country, TaxRateRow.starts_on)))


def tax_rate_on(tx: Session, seller: UUID, country: str, day: date) -> TaxRateRow | None:
    """A seller's rate for a country on a day."""
    query = select(TaxRateRow).where(
        TaxRateRow.seller_id == seller, TaxRateRow.country == country, TaxRateRow.starts_on <= day
    )
    return tx.scalars(query.order_by(TaxRateRow.starts_on.desc()).limit(1)).first()
