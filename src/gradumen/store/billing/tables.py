"""Bill runs, invoices (drafts until issued) with lines, charges and parts, counters, tax rates."""

from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Amount, Base, Moment, Quantity, ascii_text


class BillRunRow(Base):
    """The close of a period for one seller; its id is that of the task that makes it."""

    __tablename__ = "bill_runs"
    __table_args__ = (Index("ix_bill_runs_seller_id_period", "seller_id", "period"),)

    id: Mapped[UUID] = mapped_column(ForeignKey("tasks.id", ondelete="RESTRICT"), primary_key=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    period: Mapped[str] = mapped_column(ascii_text(7))
    started_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    started_at: Mapped[datetime] = mapped_column(Moment)
    finished_at: Mapped[datetime | None] = mapped_column(Moment)
    reason: Mapped[str | None] = mapped_column(String(500))
    """Why it was closed though not all was here by its feeds."""


class DraftedPairRow(Base):
    """Which revision of a pair a draft, or the document that it became, has."""

    __tablename__ = "drafted_pairs"

    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True)
    pair_id: Mapped[int] = mapped_column(ForeignKey("pairs.id", ondelete="RESTRICT"), primary_key=True, index=True)
    revision: Mapped[int] = mapped_column(BigInteger)


class InvoiceRow(Base):
    """A document of a link: a draft until it is issued with a number, then never changed.

    ``tax_category`` and ``tax_percent`` are its own, of what it charges anew.
    """

    __tablename__ = "invoices"
    __table_args__ = (
        UniqueConstraint("seller_id", "number"),
        Index("ix_invoices_buyer_id", "buyer_id", "id"),
        Index("ix_invoices_bill_run_id", "bill_run_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    bill_run_id: Mapped[UUID] = mapped_column(ForeignKey("bill_runs.id", ondelete="RESTRICT"))
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    period: Mapped[str] = mapped_column(ascii_text(7))
    state: Mapped[str] = mapped_column(ascii_text(16))
    kind: Mapped[str] = mapped_column(ascii_text(16))
    number: Mapped[str | None] = mapped_column(ascii_text(80))
    currency: Mapped[str] = mapped_column(ascii_text(3))
    net: Mapped[Decimal] = mapped_column(Amount)
    tax: Mapped[Decimal] = mapped_column(Amount)
    gross: Mapped[Decimal] = mapped_column(Amount)
    tax_category: Mapped[str] = mapped_column(ascii_text(2))
    tax_percent: Mapped[Decimal] = mapped_column(Amount)
    invoice_date: Mapped[date | None]
    due_date: Mapped[date | None]
    issued_at: Mapped[datetime | None] = mapped_column(Moment)
    parties: Mapped[dict[str, Any]] = mapped_column(JSON)
    digest: Mapped[str | None] = mapped_column(ascii_text(64))
    """Of all that it said when it was drafted, with which parts; None of drafts of before there was one."""


class ChargeRow(Base):
    """A priced quantity of a supply line and rate version (and project, for a rate that counts per project)."""

    __tablename__ = "charges"
    __table_args__ = (Index("ix_charges_supply_line_id_period", "supply_line_id", "period"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), index=True)
    supply_line_id: Mapped[UUID] = mapped_column(ForeignKey("supply_lines.id", ondelete="RESTRICT"))
    period: Mapped[str] = mapped_column(ascii_text(7))
    rate_card_version_id: Mapped[UUID] = mapped_column(ForeignKey("rate_card_versions.id", ondelete="RESTRICT"))
    rate: Mapped[str] = mapped_column(ascii_text(63))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    meter: Mapped[str | None] = mapped_column(ascii_text(127))
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    amount: Mapped[Decimal] = mapped_column(Amount)
    service_start: Mapped[datetime] = mapped_column(Moment)
    service_end: Mapped[datetime] = mapped_column(Moment)
    evidence: Mapped[str] = mapped_column(ascii_text(64))
    explanation: Mapped[dict[str, Any]] = mapped_column(JSON)


class ChargePartRow(Base):
    """A charge's share of one project, resource and local day."""

    __tablename__ = "charge_parts"

    charge_id: Mapped[UUID] = mapped_column(ForeignKey("charges.id", ondelete="RESTRICT"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[UUID | None]
    """Without a foreign key: there are millions of parts, and no project is ever removed."""
    resource: Mapped[str | None] = mapped_column(String(191, collation="utf8mb4_bin"))
    day: Mapped[date]
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    amount: Mapped[Decimal] = mapped_column(Amount)


class InvoiceLineRow(Base):
    """A line, with the tax on it; one that gives back what ``corrects_id`` charged has that document's."""

    __tablename__ = "invoice_lines"

    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    charge_id: Mapped[UUID] = mapped_column(ForeignKey("charges.id", ondelete="RESTRICT"))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    amount: Mapped[Decimal] = mapped_column(Amount)
    tax_category: Mapped[str] = mapped_column(ascii_text(2))
    tax_percent: Mapped[Decimal] = mapped_column(Amount)
    corrects_id: Mapped[UUID | None] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"))


class ReturnedTaxRow(Base):
    """What a document gives back of the tax of another."""

    __tablename__ = "returned_taxes"

    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True)
    corrects_id: Mapped[UUID] = mapped_column(
        ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True, index=True
    )
    tax: Mapped[Decimal] = mapped_column(Amount)


class InvoiceTaxRow(Base):
    """The tax of a document's lines of one category and percentage."""

    __tablename__ = "invoice_taxes"

    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True)
    category: Mapped[str] = mapped_column(ascii_text(2), primary_key=True)
    percent: Mapped[Decimal] = mapped_column(Amount, primary_key=True)
    net: Mapped[Decimal] = mapped_column(Amount)
    tax: Mapped[Decimal] = mapped_column(Amount)


class IssuedDocumentRow(Base):
    """The PDF of an issued document, made once and then given as it was."""

    __tablename__ = "issued_documents"

    invoice_id: Mapped[UUID] = mapped_column(ForeignKey("invoices.id", ondelete="RESTRICT"), primary_key=True)
    pdf: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[datetime] = mapped_column(Moment)


class DocumentCounterRow(Base):
    """The next number of a seller's series; issuing writes it, so numbers have no gaps.

    ``version`` is written by every decision about the seller's documents, so that rivals meet here.
    """

    __tablename__ = "document_counters"

    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    series: Mapped[str] = mapped_column(ascii_text(20), primary_key=True)
    next_number: Mapped[int]
    version: Mapped[int]


class TaxRateRow(Base):
    __tablename__ = "tax_rates"

    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    country: Mapped[str] = mapped_column(ascii_text(2), primary_key=True)
    starts_on: Mapped[date] = mapped_column(primary_key=True)
    category: Mapped[str] = mapped_column(ascii_text(2))
    percent: Mapped[Decimal] = mapped_column(Amount)


class OwnershipTrialRow(Base):
    """Rules of ownership that are tried on what came in; its id is that of the task that does it.

    ``rules`` are as they were sent. ``outcome`` is what came of it: what would move, and what links would come to.
    """

    __tablename__ = "ownership_trials"
    __table_args__ = (Index("ix_ownership_trials_seller_id_asked_at", "seller_id", "asked_at"),)

    id: Mapped[UUID] = mapped_column(ForeignKey("tasks.id", ondelete="RESTRICT"), primary_key=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    rules: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    asked_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime] = mapped_column(Moment)
    outcome: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
