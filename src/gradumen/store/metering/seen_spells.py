"""Queries of spells as somebody sees them, and of what feeds said."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, and_, false, func, or_, select, true
from sqlalchemy.orm import Session

from gradumen.core.catalogue.services import Combine
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.readings import said_since, stood
from gradumen.store.metering.tables import (
    REPLACED,
    DeliveryRow,
    FeedRow,
    OriginRow,
    ReadingRow,
    ResourceRow,
    SpellRow,
    SupersededReadingRow,
)
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow

Seen = Sequence[tuple[Collection[UUID] | None, Collection[int]]]
"""Of organisations, None is all, their meters."""


@dataclass(frozen=True, slots=True)
class SeenSpell:
    """A spell of a named resource; ``level`` in the base unit of readings."""

    resource: str
    meter: int
    project: int
    attributes: int
    level: Decimal
    start: datetime
    end: datetime
    is_open: bool
    is_inferred: bool


def seen_spells(
    tx: Session, seen: Seen, start: datetime, end: datetime, resource: str | None, most: int
) -> list[SeenSpell]:
    """The spells that reach into a span of time, by resource, meter and in time; ``most`` at most."""
    row = SpellRow
    visible: list[ColumnElement[bool]] = [
        and_(true() if owners is None else ProjectRow.organisation_id.in_(owners), row.meter_id.in_(meters))
        for owners, meters in seen
    ]
    query = (
        select(
            ResourceRow.name, row.meter_id, row.project_number, row.attribute_set_id, row.level, row.start_at,
            row.end_at, row.watermark_id.is_not(None), row.is_inferred,
        )
        .join(ProjectRow, ProjectRow.number == row.project_number)
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .where(or_(false(), *visible), row.start_at < end, row.end_at > start)
        .order_by(ResourceRow.name, row.meter_id, row.start_at, row.project_number, row.resource_id)
        .limit(most)
    )  # fmt: skip
    if resource is not None:
        query = query.where(ResourceRow.name == resource)
    return [SeenSpell(*each) for each in tx.execute(query)]


@dataclass(frozen=True, slots=True)
class Said:
    """What was said of a resource: its level from a moment on."""

    at: datetime
    meter: int
    level: Decimal
    attributes: int
    feed: str
    source: str
    event_id: str
    owner: str | None
    account: str | None
    received_at: datetime


MOST_SAID = 500


def said_of(tx: Session, resource: str, sellers: Collection[UUID], start: datetime, end: datetime) -> list[Said]:
    """What sellers' feeds said of a resource in a span of time, and last before it, in time; the newest at most."""
    row = ReadingRow
    query = (
        select(
            row.start_at, row.meter_id, row.quantity, row.attribute_set_id,
            func.concat(OrganisationRow.slug, "/", FeedRow.slug), OriginRow.source, row.event_id, OriginRow.owner,
            OriginRow.account, DeliveryRow.received_at,
        )
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .join(FeedRow, FeedRow.id == ResourceRow.feed_id)
        .join(OrganisationRow, OrganisationRow.id == FeedRow.organisation_id)
        .join(MeterRow, MeterRow.id == row.meter_id)
        .join(OriginRow, OriginRow.id == row.origin_id)
        .join(DeliveryRow, DeliveryRow.id == row.delivery_id)
        .outerjoin(SupersededReadingRow, REPLACED)
        .where(ResourceRow.name == resource, FeedRow.organisation_id.in_(sellers), MeterRow.combine == Combine.HELD)
        .where(row.start_at < end, said_since(start), *stood())
        .order_by(row.start_at.desc(), row.quantity, row.sequence.desc(), row.event_id.desc())
        .limit(MOST_SAID)
    )  # fmt: skip
    rows: Any = tx.execute(query)
    return [Said(*each) for each in rows][::-1]
