"""Queries of charges on documents: card, parts, and the readings that they were made from."""

from datetime import timedelta
from uuid import UUID

from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import MeterRow, RateCardRow, RateCardVersionRow
from gradumen.store.metering.tables import FeedRow, ReadingRow, SupersededReadingRow
from gradumen.store.organisations.tables import ProjectRow

LONGEST_READING = timedelta(hours=24)


def card_of(tx: Session, charge: ChargeRow) -> RateCardRow:
    """The card that a charge is priced by."""
    return tx.execute(
        select(RateCardRow)
        .join(RateCardVersionRow, RateCardVersionRow.rate_card_id == RateCardRow.id)
        .where(RateCardVersionRow.id == charge.rate_card_version_id)
    ).scalar_one()


def parts_of(tx: Session, charge: UUID) -> list[tuple[ChargePartRow, str | None]]:
    """A charge's parts with the slugs of their projects."""
    rows = tx.execute(
        select(ChargePartRow, ProjectRow.slug)
        .outerjoin(ProjectRow, ProjectRow.id == ChargePartRow.project_id)
        .where(ChargePartRow.charge_id == charge)
        .order_by(ChargePartRow.position)
    )
    return [(part, slug) for part, slug in rows]


def readings_of(tx: Session, charge: ChargeRow, *, after: int, limit: int) -> list[tuple[ReadingRow, str]]:
    """The readings that a charge was made from, with their feeds' slugs, after so many of them."""
    pairs = select(ChargePartRow.project_id).where(ChargePartRow.charge_id == charge.id).distinct()
    resources = select(ChargePartRow.resource).where(ChargePartRow.charge_id == charge.id).distinct()
    rows = tx.execute(
        select(ReadingRow, FeedRow.slug)
        .join(FeedRow, FeedRow.id == ReadingRow.feed_id)
        .outerjoin(
            SupersededReadingRow,
            and_(
                SupersededReadingRow.delivery_id == ReadingRow.delivery_id,
                SupersededReadingRow.source == ReadingRow.source,
                SupersededReadingRow.event_id == ReadingRow.event_id,
            ),
        )
        .where(
            ReadingRow.project_id.in_(pairs),
            ReadingRow.resource.in_(resources),
            ReadingRow.meter_id == select(MeterRow.id).where(MeterRow.slug == charge.meter).scalar_subquery(),
            ReadingRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
            ReadingRow.start_at < charge.service_end,
            ReadingRow.end_at > charge.service_start,
            ReadingRow.start_at > charge.service_start - LONGEST_READING,
            SupersededReadingRow.key.is_(None),
        )
        .order_by(ReadingRow.id)
        .offset(after)
        .limit(limit)
    )
    return [(reading, feed) for reading, feed in rows]
