"""Invoices: drafts are issued with gapless numbers and then never change; every amount explains itself."""

from dataclasses import dataclass, fields, replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.billing.documents import TaxGroup, totals
from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.exact import minor_units
from gradumen.store.billing.drafts import discard_drafts, note_issued
from gradumen.store.billing.invoices import (
    Beside,
    Wanted,
    beside_invoices,
    drop_taxes,
    keep_document,
    lines_of,
    lock_documents,
    lock_series,
    newest_date,
    numbers_of,
    page_of_invoices,
    set_own_tax,
    store_taxes,
    stored_taxes,
    sums_of_invoices,
    taxed_lines,
)
from gradumen.store.billing.tables import (
    InvoiceLineRow,
    InvoiceRow,
    IssuedDocumentRow,
)
from gradumen.store.organisations.organisations import names_of_owners
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.billing.bill_runs import require_billing
from gradumen.usecases.billing.document_mail import tell_issued
from gradumen.usecases.billing.drafts import taxes_on
from gradumen.usecases.billing.parties import parties_of
from gradumen.usecases.billing.stored_lines import stored_line
from gradumen.usecases.billing.tax_rates import find_tax
from gradumen.usecases.rating.charges import Line
from gradumen.usecases.scope import Caller, Scope, load_scope, today_of
from gradumen.wire.billing.invoices import InvoiceBody, InvoicesBody, InvoiceSumsBody

TERMS = timedelta(days=30)


@dataclass(frozen=True, slots=True)
class InvoiceLine(Line):
    """A line with the tax on it and names; ``corrects`` is the number of the document that it gives back."""

    organisation_name: str = ""
    project_name: str | None = None
    tax_category: str = ""
    tax_percent: Decimal = Decimal(0)
    corrects: str | None = None


@dataclass(frozen=True, slots=True)
class Invoice:
    """A draft or an issued document of a link."""

    id: UUID
    state: str
    kind: str
    number: str | None
    seller: str
    buyer: str
    parties: dict[str, Any]
    period: str
    currency: str
    net: Decimal
    tax: Decimal
    gross: Decimal
    tax_category: str
    tax_percent: Decimal
    invoice_date: date | None
    due_date: date | None
    line_count: int
    late: Decimal
    before: Decimal | None
    taxes: list[TaxGroup]
    lines: list[InvoiceLine]


def is_visible(scope: Scope, row: InvoiceRow) -> bool:
    """A seller's members see drafts and documents, the buyer's members see documents."""
    own = scope.members_money()
    return row.seller_id in own or (row.state == "issued" and row.buyer_id in own)


def _get(tx: Session, scope: Scope, invoice_id: UUID, *, lock: bool = False) -> InvoiceRow:
    row = tx.get(InvoiceRow, invoice_id, with_for_update=lock or None, populate_existing=True)
    if row is None or not is_visible(scope, row):
        raise NotFound("invoice", invoice_id)
    return row


def _seen(after: str) -> tuple[str, str, UUID]:
    period, _, rest = after.partition("|")
    number, _, identity = rest.partition("|")
    try:
        return period, number, UUID(identity)
    except ValueError:
        raise Invalid(
            f"after '{after[:60]}' is no place in this list; take it from the page before", field="after", value=after
        ) from None


@use_case
def list_invoices(
    tx: Session,
    caller: Caller,
    *,
    state: str | None,
    seller: str | None,
    buyer: str | None,
    organisation: str | None,
    period: str | None,
    search: str,
    after: str | None,
    limit: int,
) -> InvoicesBody:
    """Drafts and documents that the caller sees, without lines: newest period first, its drafts before its numbers.

    Args:
        after: ``next`` of the page before.

    Raises:
        Invalid: ``after`` is no such place in the list.
    """
    money_of = load_scope(tx, caller).members_money()
    wanted = Wanted(state, seller, buyer, organisation, period, search)
    rows = page_of_invoices(tx, money_of, wanted, after=None if after is None else _seen(after), limit=limit + 1)
    sums = sums_of_invoices(tx, money_of, wanted)
    beside = beside_invoices(tx, rows[:limit])
    last = rows[limit - 1] if len(rows) > limit else None
    return InvoicesBody(
        items=[InvoiceBody.of(_view(row, beside[row.id], [], [])) for row in rows[:limit]],
        next=f"{last.period}|{last.number or ''}|{last.id}" if last else None,
        sums=[InvoiceSumsBody(currency=each[0], count=each[1], net=each[2], gross=each[3]) for each in sums],
    )


@use_case
def read_invoice(tx: Session, caller: Caller, *, invoice_id: UUID) -> Invoice:
    """A draft or document with its lines."""
    row = _get(tx, load_scope(tx, caller), invoice_id)
    return _whole(tx, row)


def _whole(tx: Session, row: InvoiceRow) -> Invoice:
    """A document with lines and taxes."""
    lines = lines_of(tx, row.id)
    numbers = numbers_of(tx, {each.corrects_id for each in lines if each.corrects_id})
    plain = [stored_line(each) for each in lines]
    names = names_of_owners(tx, {(each.organisation, each.project) for each in plain})
    shown = [
        _line(
            each,
            line,
            names[line.organisation, line.project],
            numbers[each.corrects_id] if each.corrects_id else None,
        )
        for each, line in zip(lines, plain, strict=True)
    ]
    whole = _view(row, beside_invoices(tx, [row])[row.id], shown, stored_taxes(tx, row.id))
    return whole if row.state == "issued" else replace(whole, parties=_parties(tx, row))


def _parties(tx: Session, row: InvoiceRow) -> dict[str, Any]:
    """Who stands on a draft, as known now; what is issued keeps whom it was issued to."""
    seller, buyer = (tx.get_one(OrganisationRow, each) for each in (row.seller_id, row.buyer_id))
    return parties_of(tx, seller, buyer)


def _line(row: InvoiceLineRow, line: Line, names: tuple[str, str | None], corrects: str | None) -> InvoiceLine:
    return InvoiceLine(
        **{each.name: getattr(line, each.name) for each in fields(line)},
        organisation_name=names[0],
        project_name=names[1],
        tax_category=row.tax_category,
        tax_percent=row.tax_percent,
        corrects=corrects,
    )


@use_case
def find_pdf(tx: Session, caller: Caller, *, invoice_id: UUID) -> bytes | None:
    """The PDF of an issued document, if it was made."""
    _get(tx, load_scope(tx, caller), invoice_id)
    row = tx.get(IssuedDocumentRow, invoice_id)
    return row.pdf if row else None


@use_case
def keep_pdf(tx: Session, caller: Caller, *, invoice_id: UUID, pdf: bytes) -> bytes:
    """Keep the PDF of an issued document; gives the one that is kept, where two made it at once."""
    _get(tx, load_scope(tx, caller), invoice_id)
    return keep_document(tx, invoice_id, pdf, caller.at)


@use_case
def document_to_send(tx: Session, *, invoice_id: UUID) -> tuple[InvoiceBody, bytes | None]:
    """An issued document for its mail, with its PDF where that was made.

    Raises:
        NotFound: there is none.
    """
    row = tx.get(InvoiceRow, invoice_id)
    if row is None or row.state != "issued":
        raise NotFound("invoice", invoice_id)
    kept = tx.get(IssuedDocumentRow, invoice_id)
    return InvoiceBody.of(_whole(tx, row)), kept.pdf if kept else None


@use_case
def keep_sent_pdf(tx: Session, *, invoice_id: UUID, pdf: bytes, at: datetime) -> bytes:
    """Keep the PDF that a mail takes along; gives the one that is kept, where two made it at once."""
    return keep_document(tx, invoice_id, pdf, at)


@use_case
def issue_invoice(tx: Session, caller: Caller, *, invoice_id: UUID) -> Invoice:
    """Give a reviewed draft its number and make it final. Asking again returns the same invoice.

    Raises:
        Conflict: the seller has issued a document of a later day (the business clock was set back).
    """
    scope = load_scope(tx, caller)
    seen = _get(tx, scope, invoice_id)
    seller = tx.get_one(OrganisationRow, seen.seller_id)
    require_billing(scope, seller)
    lock_documents(tx, seller.id)
    row = _get(tx, scope, invoice_id, lock=True)
    if row.state == "issued":
        return _whole(tx, row)
    today = today_of(tx, scope, seller)
    newest = newest_date(tx, seller.id)
    if newest is not None and today < newest:
        raise Conflict(
            f"today is {today} and '{seller.slug}' has issued documents up to {newest}: a document is never dated "
            f"before an earlier number; set the business clock right, or issue on {newest} or later"
        )
    _decide_tax(tx, row, seller, today)
    row.number = _next_number(tx, seller, row.kind, today.year)
    row.state, row.issued_at, row.parties = "issued", scope.now, _parties(tx, row)
    row.invoice_date, row.due_date = today, today + TERMS
    note_issued(tx, row.id)
    tx.flush()
    after = {"gross": _money(row.gross, row.currency), "period": row.period, "buyer": row.parties["buyer"]["slug"]}
    record(
        tx, caller, f"{row.kind.replace('_', ' ')} issued", seller.id, row.number, concerns=row.buyer_id, after=after
    )
    tell_issued(tx, scope, row, seller)
    return _whole(tx, row)


def _decide_tax(tx: Session, row: InvoiceRow, seller: OrganisationRow, today: date) -> None:
    """A document's own tax is that of the day on which it is issued; what it gives back keeps the tax of its origin."""
    tax = find_tax(tx, seller, tx.get_one(OrganisationRow, row.buyer_id), today)
    set_own_tax(tx, row.id, tax)
    taxes = taxes_on(tx, taxed_lines(tx, row.id), row.currency)
    drop_taxes(tx, [row.id])
    store_taxes(tx, {row.id: taxes})
    total = totals(taxes.groups, row.currency)
    row.tax_category, row.tax_percent = tax.category, tax.percent
    row.net, row.tax, row.gross = total.net, total.tax, total.gross


def _money(amount: Decimal, currency: str) -> str:
    return f"{amount:.{minor_units(currency)}f} {currency}"


def _next_number(tx: Session, seller: OrganisationRow, kind: str, year: int) -> str:
    """The next number of a seller's series of a year; the caller holds the seller's documents."""
    counter = lock_series(tx, seller.id, f"{kind}-{year}")
    number = counter.next_number
    counter.next_number = number + 1
    tx.flush()
    mark = "" if kind == "invoice" else "C"
    return f"{seller.slug.upper()}-{year}-{mark}{number:05d}"


@use_case
def discard_draft(tx: Session, caller: Caller, *, invoice_id: UUID) -> None:
    """Remove a draft; the next bill run makes it again.

    Raises:
        Conflict: it is issued; corrections are credit notes.
    """
    scope = load_scope(tx, caller)
    row = _get(tx, scope, invoice_id)
    seller = tx.get_one(OrganisationRow, row.seller_id)
    require_billing(scope, seller)
    lock_documents(tx, seller.id)
    row = _get(tx, scope, invoice_id, lock=True)
    if row.state == "issued":
        raise Conflict(f"{row.number} is issued and stays; what was wrong goes on the next document as a correction")
    before = {"net": _money(row.net, row.currency), "period": row.period}
    record(tx, caller, "draft discarded", seller.id, row.parties["buyer"]["slug"], before=before)
    discard_drafts(tx, seller.id, invoice=row.id)


def _view(row: InvoiceRow, beside: Beside, lines: list[InvoiceLine], taxes: list[TaxGroup]) -> Invoice:
    return Invoice(
        id=row.id,
        state=row.state,
        kind=row.kind,
        number=row.number,
        seller=row.parties["seller"]["slug"],
        buyer=row.parties["buyer"]["slug"],
        parties=row.parties,
        period=row.period,
        currency=row.currency,
        net=row.net,
        tax=row.tax,
        gross=row.gross,
        tax_category=row.tax_category,
        tax_percent=row.tax_percent,
        invoice_date=row.invoice_date,
        due_date=row.due_date,
        line_count=beside.lines,
        late=beside.late,
        before=beside.before,
        taxes=taxes,
        lines=lines,
    )
