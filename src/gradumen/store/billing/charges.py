"""Queries of charges on documents: card, parts, and the readings that they were made from."""

from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import MeterRow, RateCardRow, RateCardVersionRow
from gradumen.store.metering.tables import FeedRow, OriginRow, ReadingRow, ResourceRow, SupersededReadingRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

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


@dataclass(frozen=True, slots=True)
class EvidentReading:
    """A reading with the slug of its feed, its source and its resource."""

    reading: ReadingRow
    feed: str
    source: str
    resource: str


def readings_of(tx: Session, charge: ChargeRow, *, after: int, limit: int) -> list[EvidentReading]:
    """The readings that a charge was made from, in the order in which they came, after so many of them.

    As of the delivery that was the last when it was rated: what came or was replaced since is not in it.
    """
    projects = select(ChargePartRow.project_id).where(ChargePartRow.charge_id == charge.id).distinct()
    paths = tx.execute(
        select(OrganisationRow.slug, ProjectRow.slug)
        .join(ProjectRow, ProjectRow.organisation_id == OrganisationRow.id)
        .where(ProjectRow.id.in_(projects))
    )
    owners = [f"{organisation}/{project}" for organisation, project in paths]
    newest = charge.explanation.get("delivery", 2**63 - 1)
    resources = select(ChargePartRow.resource).where(ChargePartRow.charge_id == charge.id).distinct()
    rows = tx.execute(
        select(ReadingRow, FeedRow.slug, OriginRow.source, ResourceRow.name)
        .join(ResourceRow, ResourceRow.id == ReadingRow.resource_id)
        .join(FeedRow, FeedRow.id == ResourceRow.feed_id)
        .join(OriginRow, OriginRow.id == ReadingRow.origin_id)
        .outerjoin(
            SupersededReadingRow,
            and_(
                SupersededReadingRow.delivery_id == ReadingRow.delivery_id,
                SupersededReadingRow.position == ReadingRow.position,
            ),
        )
        .where(
            OriginRow.owner.in_(owners),
            ResourceRow.name.in_(resources),
            ReadingRow.meter_id == select(MeterRow.id).where(MeterRow.slug == charge.meter).scalar_subquery(),
            ReadingRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
            ReadingRow.start_at < charge.service_end,
            ReadingRow.end_at > charge.service_start,
            ReadingRow.start_at > charge.service_start - LONGEST_READING,
            ReadingRow.delivery_id <= newest,
            SupersededReadingRow.delivery_id.is_(None) | (SupersededReadingRow.by_delivery_id > newest),
        )
        .order_by(ReadingRow.delivery_id, ReadingRow.position)
        .offset(after)
        .limit(limit)
    )
    return [EvidentReading(reading, feed, source, resource) for reading, feed, source, resource in rows]
