"""Queries of charges on documents: card, parts, and the readings that they were made from."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

import polars as pl
from sqlalchemy import ColumnElement, and_, exists, func, or_, select, text, tuple_
from sqlalchemy.orm import Session, aliased

from gradumen.core.catalogue.rates import Basis
from gradumen.core.catalogue.services import Combine
from gradumen.store.billing.archived_evidence import archived_of
from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import MeterRow, RateCardRow, RateCardVersionRow
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow
from gradumen.store.metering.readings import NEWEST, said_since, stood
from gradumen.store.metering.tables import (
    REPLACED,
    DeliveryRow,
    FeedRow,
    OriginRow,
    ReadingRow,
    ResourceRow,
    SupersededReadingRow,
)
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
    """A reading with the slug of its feed, where it comes from, and its resource."""

    reading: ReadingRow
    feed: str
    origin: OriginRow
    resource: str


def readings_of(tx: Session, charge: ChargeRow, *, offset: timedelta, after: int, limit: int) -> list[EvidentReading]:
    """The readings that a charge was made from, in the order in which they came, after so many of them.

    As of the delivery that was the last when it was rated: what came or was replaced since is not in it. A reading that
    names no owner was given its owner by a rule, so the charge has a part of its resource on its day.

    Args:
        offset: of the seller's clocks from UTC, by which parts have their days.
    """
    newest = charge.explanation.get("delivery", NEWEST)
    resources = select(ChargePartRow.resource).where(ChargePartRow.charge_id == charge.id).distinct()
    meter = tx.scalars(select(MeterRow).where(MeterRow.slug == charge.meter)).first()
    if meter is None:
        return []
    held = meter.combine == Combine.HELD
    owners = [] if held else _owners_of(tx, charge)
    span = charge.service_start - LONGEST_READING, charge.service_end
    old = pl.DataFrame()
    if not held:
        hold_places(tx)
        old = archived_of(tx, charge, meter.id, owners, span=span, offset=offset, newest=newest)
    # Of two lists in the same order no more is wanted than the first so many of each.
    first, most = (after, limit) if old.is_empty() else (0, after + limit)
    rows = tx.execute(
        select(ReadingRow, FeedRow.slug, OriginRow, ResourceRow.name)
        .join(ResourceRow, ResourceRow.id == ReadingRow.resource_id)
        .join(FeedRow, FeedRow.id == ResourceRow.feed_id)
        .join(OriginRow, OriginRow.id == ReadingRow.origin_id)
        .outerjoin(SupersededReadingRow, REPLACED)
        .where(
            *([said_since(charge.service_start, newest)] if held else _measured(charge, owners, offset)),
            ResourceRow.name.in_(resources),
            ReadingRow.meter_id == meter.id,
            ReadingRow.start_at < charge.service_end,
            *stood(newest),
        )
        .order_by(ReadingRow.delivery_id, ReadingRow.position)
        .offset(first)
        .limit(most)
    )
    found = [EvidentReading(reading, feed, origin, resource) for reading, feed, origin, resource in rows]
    if old.is_empty():
        return found
    found += _as_rows(tx, old.head(after + limit))
    return sorted(found, key=lambda each: (each.reading.delivery_id, each.reading.position))[after : after + limit]


def _as_rows(tx: Session, frame: pl.DataFrame) -> list[EvidentReading]:
    """Archived readings as they were before they were."""
    origins = {row.id: row for row in tx.scalars(select(OriginRow).where(OriginRow.id.in_(set(frame["origin"]))))}
    feeds = select(ResourceRow.id, FeedRow.slug).join(FeedRow, FeedRow.id == ResourceRow.feed_id)
    slugs: dict[int, str] = dict(tx.execute(feeds.where(ResourceRow.id.in_(set(frame["resource"])))).all())
    return [
        EvidentReading(
            ReadingRow(
                resource_id=each["resource"], meter_id=each["meter"], start_at=each["start"],
                delivery_id=each["delivery"], position=each["position"], end_at=each["end"],
                origin_id=each["origin"], attribute_set_id=each["attributes"], event_id=each["event"],
                sequence=each["sequence"], quantity=each["quantity"],
            ),
            slugs[each["resource"]], origins[each["origin"]], each["name"],
        )
        for each in frame.iter_rows(named=True)
    ]  # fmt: skip


def _owners_of(tx: Session, charge: ChargeRow) -> list[str]:
    """The projects that a charge has parts of, as ``organisation/project``."""
    projects = select(ChargePartRow.project_id).where(ChargePartRow.charge_id == charge.id).distinct()
    paths = tx.execute(
        select(OrganisationRow.slug, ProjectRow.slug)
        .join(ProjectRow, ProjectRow.organisation_id == OrganisationRow.id)
        .where(ProjectRow.id.in_(projects))
    )
    return [f"{organisation}/{project}" for organisation, project in paths]


def _measured(charge: ChargeRow, owners: Sequence[str], offset: timedelta) -> tuple[ColumnElement[bool], ...]:
    """Of what is measured over some time what touches the charge's, by its owner or a part of the charge."""
    seconds, part = int(offset.total_seconds()), ChargePartRow
    first, last = (
        func.date(func.timestampadd(text("SECOND"), seconds + more, moment))
        for more, moment in ((0, ReadingRow.start_at), (-1, ReadingRow.end_at))
    )
    has_part = exists().where(
        part.charge_id == charge.id, part.resource == ResourceRow.name, part.day.between(first, last)
    )
    return (
        or_(OriginRow.owner.in_(owners), and_(OriginRow.owner.is_(None), has_part)),
        ReadingRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
        ReadingRow.end_at > charge.service_start,
        ReadingRow.start_at > charge.service_start - LONGEST_READING,
    )


@dataclass(frozen=True, slots=True)
class EvidentCost:
    """A row of a cost file, with where it is."""

    feed: str
    source: str
    account: str
    resource: str
    day: date
    position: int
    cost: Decimal
    currency: str
    as_on: date | None
    """It is an estimate, after what was stated of this day."""


def costs_of(tx: Session, charge: ChargeRow, *, after: int, limit: int) -> list[EvidentCost]:
    """The rows of cost files that a charge was made from, by account and day, after so many of them.

    As of the delivery that was the last when it was rated: of each day the latest statement by then. Their cost is the
    one that was sold.
    """
    cost = CostRowRow.effective if charge.explanation["cost"]["basis"] == Basis.EFFECTIVE else CostRowRow.billed
    newest = charge.explanation.get("delivery", NEWEST)
    later, found, part, base = aliased(CostSetRow), aliased(DeliveryRow), ChargePartRow, aliased(CostSetRow)

    def stood(delivery: type[DeliveryRow]) -> ColumnElement[bool]:
        by_then = or_(delivery.taken_back_by.is_(None), delivery.taken_back_by > newest)
        return and_(delivery.id <= newest, by_then)

    replaced = exists().where(
        later.feed_id == CostSetRow.feed_id,
        later.account == CostSetRow.account,
        later.day == CostSetRow.day,
        tuple_(later.revision, later.id) > tuple_(CostSetRow.revision, CostSetRow.id),
        found.id == later.delivery_id,
        stood(found),
    )
    # A day outside of the month that the source bills it in stands on the month's nearest.
    has_part = exists().where(
        part.charge_id == charge.id,
        part.resource == ResourceRow.name,
        or_(part.day == CostSetRow.day, func.date_format(CostSetRow.day, "%Y-%m") != charge.period),
    )
    rows: Any = tx.execute(
        select(
            FeedRow.slug, OriginRow.source, OriginRow.account, ResourceRow.name, CostSetRow.day, CostRowRow.position,
            cost, CostRowRow.currency, base.day,
        )
        .join(CostSetRow, CostSetRow.id == CostRowRow.set_id)
        .outerjoin(base, base.id == CostSetRow.estimated_from)
        .join(FeedRow, FeedRow.id == CostSetRow.feed_id)
        .join(DeliveryRow, DeliveryRow.id == CostSetRow.delivery_id)
        .join(OriginRow, OriginRow.id == CostRowRow.origin_id)
        .join(ResourceRow, ResourceRow.id == CostRowRow.resource_id)
        .where(
            FeedRow.cost_meter_id == select(MeterRow.id).where(MeterRow.slug == charge.meter).scalar_subquery(),
            CostRowRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
            func.date_format(CostRowRow.month, "%Y-%m") == charge.period,
            CostRowRow.category != "Tax",
            stood(DeliveryRow),
            has_part,
            ~replaced,
        )
        .order_by(CostSetRow.account, CostSetRow.day, CostRowRow.position)
        .offset(after)
        .limit(limit)
    )  # fmt: skip
    return [EvidentCost(*row) for row in rows]
