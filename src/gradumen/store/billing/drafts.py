"""Queries of drafts: what is billed already, and the rows of what is to bill."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import Select, delete, func, insert, select
from sqlalchemy.orm import Session

from gradumen.store.billing.invoices import drop_taxes
from gradumen.store.billing.tables import ChargePartRow, ChargeRow, DraftedPairRow, InvoiceLineRow, InvoiceRow
from gradumen.store.pairs import PairRow

ChargeKey = tuple[UUID, UUID, str, UUID | None]
"""Supply line, rate card version, rate, and project where the rate counts per project."""
PartKey = tuple[UUID | None, str | None, date]
"""Project, resource, local day."""


def drafted_buyers(tx: Session, seller: UUID) -> set[UUID]:
    """The buyers of whom a seller has drafts."""
    query = select(InvoiceRow.buyer_id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    return set(tx.scalars(query))


def discard_drafts(tx: Session, seller: UUID, *, buyer: UUID | None = None, invoice: UUID | None = None) -> None:
    """Remove a seller's drafts, those of one buyer, or one of them; what they had is to bill again."""
    drafts = select(InvoiceRow.id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    if buyer is not None:
        drafts = drafts.where(InvoiceRow.buyer_id == buyer)
    if invoice is not None:
        drafts = drafts.where(InvoiceRow.id == invoice)
    ids = list(tx.scalars(drafts))
    if not ids:
        return
    charges = list(tx.scalars(select(ChargeRow.id).where(ChargeRow.invoice_id.in_(ids))))
    # With one of its drafts gone a pair is not billed by issuing the other, in another currency.
    concerned = set(tx.scalars(select(DraftedPairRow.pair_id).where(DraftedPairRow.invoice_id.in_(ids))))
    open_drafts = select(InvoiceRow.id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    tx.execute(
        delete(DraftedPairRow).where(DraftedPairRow.pair_id.in_(concerned), DraftedPairRow.invoice_id.in_(open_drafts)),
        execution_options={"synchronize_session": False},
    )
    tx.execute(delete(InvoiceLineRow).where(InvoiceLineRow.invoice_id.in_(ids)))
    drop_taxes(tx, ids)
    tx.execute(delete(ChargePartRow).where(ChargePartRow.charge_id.in_(charges)))
    tx.execute(delete(ChargeRow).where(ChargeRow.invoice_id.in_(ids)))
    tx.execute(delete(InvoiceRow).where(InvoiceRow.id.in_(ids)))


def issued_charges(tx: Session, pair: PairRow) -> list[ChargeRow]:
    """The charges of a pair on issued documents."""
    return list(tx.scalars(_issued(select(ChargeRow), pair)))


def issued_parts(tx: Session, pair: PairRow) -> Iterable[tuple[ChargeKey, PartKey, tuple[Decimal, Decimal]]]:
    """What is billed of a pair, added up by charge and part: quantity and amount."""
    key = (ChargeRow.supply_line_id, ChargeRow.rate_card_version_id, ChargeRow.rate, ChargeRow.project_id)
    part = (ChargePartRow.project_id, ChargePartRow.resource, ChargePartRow.day)
    columns: list[Any] = [*key, *part, func.sum(ChargePartRow.quantity), func.sum(ChargePartRow.amount)]
    query: Select[Any] = select(*columns)
    query = query.join(ChargePartRow, ChargePartRow.charge_id == ChargeRow.id)
    rows = tx.execute(_issued(query, pair).group_by(*key, *part))
    for line, version, rate, scope, project, resource, day, quantity, amount in rows:
        yield (line, version, rate, scope), (project, resource, day), (quantity, amount)


def _issued(query: Select[Any], pair: PairRow) -> Select[Any]:
    """A query of charges, for those of a pair on issued documents."""
    return query.join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id).where(
        InvoiceRow.seller_id == pair.seller_id,
        InvoiceRow.buyer_id == pair.buyer_id,
        InvoiceRow.state == "issued",
        ChargeRow.period == pair.period,
    )


def note_drafted(tx: Session, invoice: UUID, revisions: dict[int, int]) -> None:
    """Which revision of which pairs a draft has."""
    rows = [{"invoice_id": invoice, "pair_id": pair, "revision": revision} for pair, revision in revisions.items()]
    if rows:
        tx.execute(insert(DraftedPairRow), rows)


def note_issued(tx: Session, invoice: UUID) -> None:
    """The pairs of a document are billed at its revision, unless another draft, in another currency, has them too."""
    rows = tx.execute(
        select(DraftedPairRow.pair_id, DraftedPairRow.revision).where(DraftedPairRow.invoice_id == invoice)
    )
    revisions = dict(rows.all())
    others = set(
        tx.scalars(
            select(DraftedPairRow.pair_id)
            .join(InvoiceRow, InvoiceRow.id == DraftedPairRow.invoice_id)
            .where(DraftedPairRow.pair_id.in_(revisions), InvoiceRow.state == "draft", InvoiceRow.id != invoice)
        )
    )
    pairs = select(PairRow).where(PairRow.id.in_(revisions)).order_by(PairRow.id).with_for_update()
    for pair in tx.scalars(pairs, execution_options={"populate_existing": True}):
        pair.version += 1
        if pair.id not in others:
            pair.billed = max(pair.billed, revisions[pair.id])
    tx.flush()


_PARTS = (
    "INSERT INTO charge_parts (charge_id, position, project_id, resource, day, quantity, amount) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s)"
)


def store_draft(
    tx: Session,
    charges: Sequence[dict[str, Any]],
    parts: Sequence[tuple[Any, ...]],
    lines: Sequence[dict[str, Any]],
) -> None:
    """The rows of a draft; parts, of which there are many, in the order of their columns."""
    tx.execute(insert(ChargeRow), list(charges))
    if parts:
        tx.connection().exec_driver_sql(_PARTS, list(parts))
    tx.execute(insert(InvoiceLineRow), list(lines))
