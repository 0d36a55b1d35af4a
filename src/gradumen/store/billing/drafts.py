"""Queries of drafts: what is billed already, and the rows of what is to bill."""

import json
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from itertools import chain
from typing import Any
from uuid import UUID

from sqlalchemy import Select, delete, exists, func, insert, select, update
from sqlalchemy.orm import Session

from gradumen.store.billing.invoices import drop_taxes, is_issued_of
from gradumen.store.billing.tables import ChargePartRow, ChargeRow, DraftedPairRow, InvoiceLineRow, InvoiceRow
from gradumen.store.pairs import PairRow, is_to_bill
from gradumen.store.rating.tables import CurrentChargeRow

ChargeKey = tuple[UUID, UUID, str, UUID | None]
"""Supply line, rate card version, rate, and project where the rate counts per project."""
PartKey = tuple[UUID | None, str | None, date]
"""Project, resource, local day."""


def drafted_buyers(tx: Session, seller: UUID) -> set[UUID]:
    """The buyers of whom a seller has drafts."""
    query = select(InvoiceRow.buyer_id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    return set(tx.scalars(query))


def digests_of(tx: Session, seller: UUID, buyers: Collection[UUID]) -> dict[UUID, dict[UUID, str | None]]:
    """The digests of a seller's drafts, by each of some buyers and draft."""
    query = select(InvoiceRow.buyer_id, InvoiceRow.id, InvoiceRow.digest)
    query = query.where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft", InvoiceRow.buyer_id.in_(buyers))
    found: dict[UUID, dict[UUID, str | None]] = {buyer: {} for buyer in buyers}
    for buyer, draft, digest in tx.execute(query):
        found[buyer][draft] = digest
    return found


def keep_drafts(tx: Session, run: UUID, drafts: Collection[UUID]) -> None:
    """Drafts of a run before are those of this one."""
    if drafts:
        tx.execute(update(InvoiceRow).where(InvoiceRow.id.in_(drafts)).values(bill_run_id=run))


def discard_drafts(
    tx: Session, seller: UUID, *, buyers: Collection[UUID] | None = None, invoice: UUID | None = None
) -> None:
    """Remove a seller's drafts, those of some buyers, or one of them; what they had is to bill again."""
    drafts = select(InvoiceRow.id).where(InvoiceRow.seller_id == seller, InvoiceRow.state == "draft")
    if buyers is not None:
        drafts = drafts.where(InvoiceRow.buyer_id.in_(buyers))
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


def billed_pairs(tx: Session, pairs: Collection[PairRow]) -> set[int]:
    """Those of one seller's pairs of which any charge is on an issued document."""
    if not pairs:
        return set()
    query = (
        select(InvoiceRow.buyer_id, ChargeRow.period)
        .join(ChargeRow, ChargeRow.invoice_id == InvoiceRow.id)
        .where(
            InvoiceRow.seller_id.in_({pair.seller_id for pair in pairs}),
            InvoiceRow.buyer_id.in_({pair.buyer_id for pair in pairs}),
            InvoiceRow.state == "issued",
            ChargeRow.period.in_({pair.period for pair in pairs}),
        )
        .distinct()
    )
    found = {tuple(row) for row in tx.execute(query)}
    return {pair.id for pair in pairs if (pair.buyer_id, pair.period) in found}


def months_to_bill(tx: Session, buyer: UUID) -> dict[UUID, int]:
    """How many months of a buyer are not up to date or not billed, by seller, those it bought from before among them.

    To bill is what is charged, and what is to be given back.
    """
    charge = CurrentChargeRow
    charged = exists().where(charge.pair_id == PairRow.id, charge.generation == PairRow.generation)
    # What nothing is charged of any more may have been billed, in advance too, and given back since.
    held = (
        _issued(select(ChargeRow.supply_line_id), PairRow)
        .group_by(ChargeRow.supply_line_id, ChargeRow.rate_card_version_id, ChargeRow.rate, ChargeRow.project_id)
        .having((func.sum(ChargeRow.quantity) != Decimal(0)) | (func.sum(ChargeRow.amount) != Decimal(0)))
        .correlate(PairRow)
        .exists()
    )
    query = select(PairRow.seller_id, func.count()).where(
        PairRow.buyer_id == buyer,
        PairRow.seller_id != buyer,
        PairRow.stale_since.is_not(None) | (is_to_bill() & (charged | held)),
    )
    return dict(tx.execute(query.group_by(PairRow.seller_id)).all())


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


def _issued(query: Select[Any], pair: PairRow | type[PairRow]) -> Select[Any]:
    """A query of charges, for those of a pair on issued documents."""
    return query.join(InvoiceRow, InvoiceRow.id == ChargeRow.invoice_id).where(is_issued_of(pair))


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


_COPIED = (
    "INSERT INTO charge_parts (charge_id, position, project_id, resource, day, quantity, amount) "
    "SELECT STRAIGHT_JOIN c.id, p.position, COALESCE(o.id, s.project_id), r.name, p.day, p.quantity, p.amount "
    "FROM JSON_TABLE(%s, '$[*]' COLUMNS "
    "(id CHAR(36) PATH '$[0]', pair INT PATH '$[1]', generation INT PATH '$[2]', position INT PATH '$[3]')) d "
    "JOIN current_parts p ON p.pair_id = d.pair AND p.generation = d.generation AND p.charge_position = d.position "
    "JOIN charges c ON c.id = CAST(d.id AS UUID) JOIN supply_lines l ON l.id = c.supply_line_id "
    "JOIN subscriptions s ON s.id = l.subscription_id "
    "LEFT JOIN projects o ON o.number = p.project_number LEFT JOIN resources r ON r.id = p.resource_id"
)


Copied = tuple[UUID, int, int, int]
"""A draft's charge, and the pair, generation and position of the stored charge whose parts it has."""


@dataclass(slots=True)
class DraftRows:
    """The rows of a draft but its taxes; parts, of which there are many, in the order of their columns."""

    invoice: InvoiceRow
    charges: list[dict[str, Any]] = field(default_factory=list)
    parts: list[tuple[Any, ...]] = field(default_factory=list)
    copied: list[Copied] = field(default_factory=list)
    lines: list[dict[str, Any]] = field(default_factory=list)
    pairs: list[dict[str, Any]] = field(default_factory=list)
    """Which revision of which pairs a draft has."""


def store_drafts(tx: Session, drafts: Sequence[DraftRows]) -> None:
    """Drafts with all that belongs to them but their taxes."""
    tx.add_all([each.invoice for each in drafts])
    tx.flush()
    for table, rows in (
        (ChargeRow, [each.charges for each in drafts]),
        (InvoiceLineRow, [each.lines for each in drafts]),
        (DraftedPairRow, [each.pairs for each in drafts]),
    ):
        values = [*chain.from_iterable(rows)]
        if values:
            tx.execute(insert(table), values)
    connection = tx.connection()
    parts = [part for each in drafts for part in each.parts]
    if parts:
        connection.exec_driver_sql(_PARTS, parts)
    copied = [[str(charge), *place] for each in drafts for charge, *place in each.copied]
    if copied:
        connection.exec_driver_sql(_COPIED, (json.dumps(copied),))
