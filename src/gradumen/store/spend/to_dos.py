"""Queries of what needs somebody."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import InvoiceRow
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow, is_to_bill
from gradumen.store.rating.tables import NotPricedRow


def pairs_with_problems(tx: Session, seller: UUID, most: int) -> Sequence[tuple[PairRow, str]]:
    """Pairs of a seller that cannot be rated, with their buyers' names, the newest month first."""
    query = (
        select(PairRow, OrganisationRow.name)
        .join(OrganisationRow, OrganisationRow.id == PairRow.buyer_id)
        .where(PairRow.seller_id == seller, PairRow.problem.is_not(None), PairRow.stale_since.is_not(None))
        .order_by(PairRow.period.desc(), OrganisationRow.slug)
        .limit(most)
    )
    return [(pair, name) for pair, name in tx.execute(query)]


@dataclass(frozen=True, slots=True)
class FeedHealth:
    """A feed, when something last came of it, and what was refused since a moment."""

    slug: str
    name: str
    last: datetime | None
    refused: int
    refusal: str | None


def feeds_health(tx: Session, organisation: UUID, since: datetime) -> list[FeedHealth]:
    """The feeds of an organisation, by slug."""
    recent = (
        select(
            DeliveryRow.feed_id,
            func.sum(DeliveryRow.refused).label("refused"),
            func.max(DeliveryRow.first_refusal).label("refusal"),
        )
        .where(DeliveryRow.received_at >= since, DeliveryRow.refused > 0)
        .group_by(DeliveryRow.feed_id)
        .subquery()
    )
    newest = (
        select(DeliveryRow.received_at)
        .where(DeliveryRow.feed_id == FeedRow.id, DeliveryRow.is_read_again.is_(False))
        .order_by(DeliveryRow.id.desc())
        .limit(1)
        .scalar_subquery()
    )
    query = (
        select(FeedRow.slug, FeedRow.name, newest, recent.c.refused, recent.c.refusal)
        .outerjoin(recent, recent.c.feed_id == FeedRow.id)
        .where(FeedRow.organisation_id == organisation)
        .order_by(FeedRow.slug)
    )
    return [FeedHealth(slug, name, last, int(no or 0), why) for slug, name, last, no, why in tx.execute(query)]


def months_to_bill(tx: Session, seller: UUID, before: str) -> list[tuple[str, int]]:
    """Months before one of which something is rated that no document has, with how many buyers; the newest first."""
    query = (
        select(PairRow.period, func.count())
        .where(
            PairRow.seller_id == seller,
            PairRow.buyer_id != seller,
            PairRow.period < before,
            is_to_bill(),
        )
        .group_by(PairRow.period)
        .order_by(PairRow.period.desc())
    )
    return [(period, count) for period, count in tx.execute(query)]


def not_priced_meters(tx: Session, seller: UUID, period: str) -> list[tuple[str, int, bool]]:
    """Meters of which usage in a month is not priced to buyers: of how many organisations, and whether for no rate."""
    query = (
        select(
            NotPricedRow.meter,
            func.count(NotPricedRow.organisation_id.distinct()),
            NotPricedRow.supply_line_id.is_not(None),
        )
        .join(PairRow, (PairRow.id == NotPricedRow.pair_id) & (PairRow.generation == NotPricedRow.generation))
        .where(PairRow.seller_id == seller, PairRow.buyer_id != seller, PairRow.period == period)
        .group_by(NotPricedRow.meter, NotPricedRow.supply_line_id.is_not(None))
        .order_by(NotPricedRow.meter)
    )
    return [(meter, count, bool(no_rate)) for meter, count, no_rate in tx.execute(query)]


def new_invoices(tx: Session, buyer: UUID, since: date, most: int) -> list[InvoiceRow]:
    """What was issued to a buyer since a day, the newest first."""
    query = select(InvoiceRow).where(
        InvoiceRow.buyer_id == buyer, InvoiceRow.state == "issued", InvoiceRow.invoice_date >= since
    )
    return list(tx.scalars(query.order_by(InvoiceRow.invoice_date.desc(), InvoiceRow.number).limit(most)))
