"""Queries of documents, their lines and taxes."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    ScalarSelect,
    and_,
    case,
    delete,
    func,
    insert,
    literal,
    or_,
    select,
    tuple_,
    update,
)
from sqlalchemy.dialects.mysql import insert as upsert
from sqlalchemy.orm import Session

from gradumen.core.billing.documents import Left, TaxedLine, Taxes, TaxGroup, TaxRate
from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.store.billing.tables import (
    ChargeRow,
    DocumentCounterRow,
    InvoiceLineRow,
    InvoiceRow,
    InvoiceTaxRow,
    IssuedDocumentRow,
    ReturnedTaxRow,
)
from gradumen.store.columns import has_text
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow


def lock_documents(tx: Session, seller: UUID) -> None:
    """Write the row that every decision about a seller's documents writes."""
    statement = upsert(DocumentCounterRow).values(seller_id=seller, series="all", next_number=1, version=1)
    tx.execute(statement.on_duplicate_key_update(version=DocumentCounterRow.version + 1))


def is_issued_of(pair: PairRow | type[PairRow]) -> ColumnElement[bool]:
    """Whether a charge of a document is one of a pair's, or of the pair of a query's row, and the document issued."""
    return and_(
        InvoiceRow.seller_id == pair.seller_id,
        InvoiceRow.buyer_id == pair.buyer_id,
        InvoiceRow.state == "issued",
        ChargeRow.period == pair.period,
    )


def issued_lines(tx: Session, pair: PairRow) -> list[tuple[ChargeRow, InvoiceLineRow]]:
    """What is billed of a pair, line by line, in the order in which it was issued."""
    rows = tx.execute(
        select(ChargeRow, InvoiceLineRow)
        .join(InvoiceLineRow, InvoiceLineRow.charge_id == ChargeRow.id)
        .join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id)
        .where(is_issued_of(pair))
        .order_by(InvoiceRow.issued_at, InvoiceRow.number, InvoiceLineRow.position)
    )
    return [(charge, line) for charge, line in rows]


def documented(tx: Session, pairs: Collection[PairRow]) -> dict[tuple[str, str], Decimal]:
    """What lines of documents come to for one seller's pairs, by currency and by the documents' state."""
    if not pairs:
        return {}
    rows = tx.execute(
        select(InvoiceRow.currency, InvoiceRow.state, func.sum(InvoiceLineRow.amount))
        .join(InvoiceLineRow, InvoiceLineRow.invoice_id == InvoiceRow.id)
        .join(ChargeRow, ChargeRow.id == InvoiceLineRow.charge_id)
        .where(
            InvoiceRow.seller_id.in_({pair.seller_id for pair in pairs}),
            InvoiceRow.buyer_id.in_({pair.buyer_id for pair in pairs}),
            ChargeRow.period.in_({pair.period for pair in pairs}),
        )
        .group_by(InvoiceRow.currency, InvoiceRow.state)
    )
    return {(currency, state): amount for currency, state, amount in rows}


def left_of(tx: Session, documents: Collection[UUID]) -> dict[UUID, Left]:
    """What issued documents charged themselves and no later one gave back.

    A document's own tax is that of its lines less what it gives back of others.
    """
    nets = _nets_left(tx, documents)
    return {each: Left(nets[each], tax) for each, tax in _taxes_left(tx, documents).items()}


def _nets_left(tx: Session, documents: Collection[UUID]) -> dict[UUID, Decimal]:
    issued = InvoiceLineRow.invoice_id.in_(select(InvoiceRow.id).where(InvoiceRow.state == "issued"))
    left: dict[UUID, Decimal] = dict.fromkeys(documents, Decimal(0))
    for column, condition in (
        (InvoiceLineRow.invoice_id, InvoiceLineRow.corrects_id.is_(None)),
        (InvoiceLineRow.corrects_id, issued),
    ):
        summed = select(column, func.sum(InvoiceLineRow.amount)).where(column.in_(documents), condition)
        for document, amount in tx.execute(summed.group_by(column)).all():
            if document is not None:
                left[document] = add([left[document], amount])
    return left


def _taxes_left(tx: Session, documents: Collection[UUID]) -> dict[UUID, Decimal]:
    own = tx.execute(select(InvoiceRow.id, InvoiceRow.tax).where(InvoiceRow.id.in_(documents)))
    left = dict(own.all())
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


def store_taxes(tx: Session, taxes: Mapping[UUID, Taxes[UUID]]) -> None:
    """The taxes of drafts."""
    rows = [
        {"invoice_id": invoice, "category": each.category, "percent": each.percent, "net": each.net, "tax": each.tax}
        for invoice, found in taxes.items()
        for each in found.groups
    ]
    if rows:
        tx.execute(insert(InvoiceTaxRow), rows)
    back = [
        {"invoice_id": invoice, "corrects_id": each, "tax": tax}
        for invoice, found in taxes.items()
        for each, tax in found.given_back.items()
    ]
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


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which documents: by state, slugs of seller, buyer or either, period, and a text in number or parties' names."""

    state: str | None = None
    seller: str | None = None
    buyer: str | None = None
    organisation: str | None = None
    period: str | None = None
    search: str = ""


def _matching(money_of: Collection[UUID], wanted: Wanted) -> list[ColumnElement[bool]]:
    """Documents of sellers, and issued ones of buyers, among organisations, that are wanted."""
    invoice = InvoiceRow
    issued = and_(invoice.state == "issued", invoice.buyer_id.in_(money_of))
    found: list[ColumnElement[bool]] = [or_(invoice.seller_id.in_(money_of), issued)]
    if wanted.state is not None:
        found.append(invoice.state == wanted.state)
    if wanted.period is not None:
        found.append(invoice.period == wanted.period)

    def named(slug: str) -> ScalarSelect[UUID]:
        return select(OrganisationRow.id).where(OrganisationRow.slug == slug).scalar_subquery()

    if wanted.seller is not None:
        found.append(invoice.seller_id == named(wanted.seller))
    if wanted.buyer is not None:
        found.append(invoice.buyer_id == named(wanted.buyer))
    if wanted.organisation is not None:
        either = named(wanted.organisation)
        found.append(or_(invoice.seller_id == either, invoice.buyer_id == either))
    if wanted.search:
        names = [has_text(each, wanted.search) for each in (OrganisationRow.slug, OrganisationRow.name)]
        parties = select(OrganisationRow.id).where(or_(*names))
        number = has_text(invoice.number, wanted.search)
        found.append(or_(number, invoice.seller_id.in_(parties), invoice.buyer_id.in_(parties)))
    return found


def page_of_invoices(
    tx: Session, money_of: Collection[UUID], wanted: Wanted, *, after: tuple[str, str, UUID] | None, limit: int
) -> list[InvoiceRow]:
    """Documents that are wanted: the newest period first, its drafts before its numbers.

    Args:
        after: period, number (empty of a draft) and id of the last one seen.
    """
    number = func.coalesce(InvoiceRow.number, "")
    query = select(InvoiceRow).where(*_matching(money_of, wanted))
    if after is not None:
        period, last, identity = after
        query = query.where(
            or_(
                InvoiceRow.period < period,
                and_(InvoiceRow.period == period, tuple_(number, InvoiceRow.id) > tuple_(literal(last), identity)),
            )
        )
    return list(tx.scalars(query.order_by(InvoiceRow.period.desc(), number, InvoiceRow.id).limit(limit)))


@dataclass(frozen=True, slots=True)
class Beside:
    """What stands beside a document when it is looked through: its lines, what of it is of earlier periods, the last.

    ``before`` is what was issued on the same link, in the same currency, for the period before; None for nothing.
    """

    lines: int
    late: Decimal
    before: Decimal | None


def beside_invoices(tx: Session, rows: Collection[InvoiceRow]) -> dict[UUID, Beside]:
    """What stands beside each of some documents."""
    if not rows:
        return {}
    late = func.sum(case((ChargeRow.period < InvoiceRow.period, InvoiceLineRow.amount), else_=0))
    counted = tx.execute(
        select(InvoiceRow.id, func.count(), late)
        .join(InvoiceLineRow, InvoiceLineRow.invoice_id == InvoiceRow.id)
        .join(ChargeRow, ChargeRow.id == InvoiceLineRow.charge_id)
        .where(InvoiceRow.id.in_({row.id for row in rows}))
        .group_by(InvoiceRow.id)
    )
    lines = {invoice: (count, amount) for invoice, count, amount in counted}
    wanted = {row.id: _link_before(row) for row in rows}
    link = (InvoiceRow.seller_id, InvoiceRow.buyer_id, InvoiceRow.currency, InvoiceRow.period)
    issued = tx.execute(
        select(*link, func.sum(InvoiceRow.net))
        .where(InvoiceRow.state == "issued", tuple_(*link).in_(set(wanted.values())))
        .group_by(*link)
    )
    before = {(seller, buyer, currency, period): net for seller, buyer, currency, period, net in issued}
    return {row.id: Beside(*lines.get(row.id, (0, Decimal(0))), before.get(wanted[row.id])) for row in rows}


def _link_before(row: InvoiceRow) -> tuple[UUID, UUID, str, str]:
    return row.seller_id, row.buyer_id, row.currency, Period.parse(row.period).before().text


def sums_of_invoices(
    tx: Session, money_of: Collection[UUID], wanted: Wanted
) -> list[tuple[str, int, Decimal, Decimal]]:
    """All documents that are wanted: by currency how many, and their net and gross."""
    query = select(InvoiceRow.currency, func.count(), func.sum(InvoiceRow.net), func.sum(InvoiceRow.gross))
    query = query.where(*_matching(money_of, wanted)).group_by(InvoiceRow.currency).order_by(InvoiceRow.currency)
    return [(currency, count, net, gross) for currency, count, net, gross in tx.execute(query)]


def lines_of(tx: Session, invoice: UUID) -> list[InvoiceLineRow]:
    """A document's lines in their order."""
    query = select(InvoiceLineRow).where(InvoiceLineRow.invoice_id == invoice)
    return list(tx.scalars(query.order_by(InvoiceLineRow.position)))


def numbers_of(tx: Session, invoices: Collection[UUID]) -> dict[UUID, str | None]:
    """Numbers of documents."""
    rows = tx.execute(select(InvoiceRow.id, InvoiceRow.number).where(InvoiceRow.id.in_(invoices)))
    return dict(rows.all())


def keep_document(tx: Session, invoice: UUID, pdf: bytes, at: datetime) -> bytes:
    """Keep the PDF of an issued document; gives the one that is kept, where two made it at once."""
    fresh = upsert(IssuedDocumentRow).prefix_with("IGNORE")
    tx.execute(fresh.values(invoice_id=invoice, pdf=pdf, made_at=at))
    return tx.get_one(IssuedDocumentRow, invoice, populate_existing=True).pdf


def newest_date(tx: Session, seller: UUID) -> date | None:
    """The newest date of a seller's issued documents."""
    query = select(func.max(InvoiceRow.invoice_date))
    return tx.scalar(query.where(InvoiceRow.seller_id == seller, InvoiceRow.state == "issued"))


def lock_series(tx: Session, seller: UUID, series: str) -> DocumentCounterRow:
    """The counter of a seller's series of documents, made where it is new, for a number."""
    # Rivals that share a row that an INSERT finds, and then want it alone, could only begin again.
    found = tx.get(DocumentCounterRow, (seller, series), with_for_update=True, populate_existing=True)
    if found is not None:
        return found
    fresh = upsert(DocumentCounterRow).prefix_with("IGNORE")
    tx.execute(fresh.values(seller_id=seller, series=series, next_number=1, version=1))
    return tx.get_one(DocumentCounterRow, (seller, series), with_for_update=True, populate_existing=True)


def states_of(tx: Session, seller: UUID, invoices: Collection[UUID] | None) -> list[tuple[UUID, str]]:
    """Documents of a seller with their states, all or some, in the order of their buyers' slugs."""
    query = (
        select(InvoiceRow.id, InvoiceRow.state)
        .join(OrganisationRow, OrganisationRow.id == InvoiceRow.buyer_id)
        .where(InvoiceRow.seller_id == seller)
        .order_by(OrganisationRow.slug, InvoiceRow.currency, InvoiceRow.period)
    )
    rows = tx.execute(query if invoices is None else query.where(InvoiceRow.id.in_(invoices)))
    return [(invoice, state) for invoice, state in rows]
