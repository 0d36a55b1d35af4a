"""Queries of what is said of resources at moments, how far feeds have told, and the spells that come of it."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from uuid import UUID

from sqlalchemy import delete, func, insert, or_, select, tuple_
from sqlalchemy.dialects.mysql import insert as upsert
from sqlalchemy.orm import Session

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import QUANTITY_PLACES, scaled, unscaled
from gradumen.core.metering.held import Spell, Statement
from gradumen.core.periods import midnight
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.stale_usage import Mark
from gradumen.store.metering.tables import (
    REPLACED,
    FeedRow,
    FeedWatermarkRow,
    OriginRow,
    ReadingRow,
    ResourceRow,
    SpellRow,
    SupersededReadingRow,
    UsageDayRow,
)


@dataclass(frozen=True, slots=True)
class Watermark:
    """Until when a source of a feed has told all, in seconds from 1970."""

    number: int
    told_until: int


def held_meters(tx: Session) -> frozenset[int]:
    """The meters of what holds until it changes."""
    return frozenset(tx.scalars(select(MeterRow.id).where(MeterRow.combine == Combine.HELD)))


def statements_from(tx: Session, meter: int, resources: Collection[int], first: date) -> list[Statement]:
    """What is said of resources from a UTC day on, and what was said last before it."""
    row, begin = ReadingRow, midnight(first)
    of = (row.resource_id.in_(resources), row.meter_id == meter, SupersededReadingRow.delivery_id.is_(None))
    last = select(row.resource_id, func.max(row.start_at)).outerjoin(SupersededReadingRow, REPLACED)
    rows = tx.execute(last.where(*of, row.start_at < begin).group_by(row.resource_id))
    before = [(resource, at) for resource, at in rows]
    columns = (row.resource_id, row.attribute_set_id, row.origin_id, row.start_at, row.quantity, row.sequence)
    query = select(*columns, row.event_id).outerjoin(SupersededReadingRow, REPLACED)
    since = or_(row.start_at >= begin, tuple_(row.resource_id, row.start_at).in_(before))
    return [
        Statement(resource, attributes, origin, _seconds(at), scaled(level, QUANTITY_PLACES), sequence, name)
        for resource, attributes, origin, at, level, sequence, name in tx.execute(query.where(*of, since))
    ]


def watermarks_of(
    tx: Session, resources: Collection[int], origins: Collection[int]
) -> dict[tuple[int, int], Watermark]:
    """How far has been told, by resource and origin of what was said of it."""
    feeds: dict[int, int] = dict(
        tx.execute(select(ResourceRow.id, ResourceRow.feed_id).where(ResourceRow.id.in_(resources))).all()
    )
    sources: dict[int, str] = dict(
        tx.execute(select(OriginRow.id, OriginRow.source).where(OriginRow.id.in_(origins))).all()
    )
    rows = tx.scalars(select(FeedWatermarkRow).where(FeedWatermarkRow.feed_id.in_(set(feeds.values()))))
    known = {(row.feed_id, row.source): Watermark(row.id, _seconds(row.told_until)) for row in rows}
    return {
        (resource, origin): known[feed, source]
        for resource, feed in feeds.items()
        for origin, source in sources.items()
        if (feed, source) in known
    }


def raise_watermarks(tx: Session, feed: int, told: Mapping[str, datetime]) -> None:
    """A feed's sources have told all up to moments; what they told before stays."""
    if not told:
        return
    query = select(FeedWatermarkRow.source, FeedWatermarkRow.told_until).where(FeedWatermarkRow.feed_id == feed)
    known: dict[str, datetime] = dict(tx.execute(query.where(FeedWatermarkRow.source.in_(told))).all())
    later = {source: until for source, until in told.items() if source not in known or until > known[source]}
    if later:
        rows = [{"feed_id": feed, "source": each, "told_until": later[each]} for each in sorted(later)]
        statement = upsert(FeedWatermarkRow)
        newest = func.greatest(FeedWatermarkRow.told_until, statement.inserted.told_until)
        tx.execute(statement.on_duplicate_key_update(told_until=newest), rows)


def spells_behind(tx: Session, most: int) -> list[Mark]:
    """Where open spells end before what has been told since: their resource, meter and day; ``most`` at most."""
    query = select(SpellRow.resource_id, SpellRow.meter_id, SpellRow.end_at)
    query = query.join(FeedWatermarkRow, FeedWatermarkRow.id == SpellRow.watermark_id)
    rows = tx.execute(query.where(SpellRow.end_at < FeedWatermarkRow.told_until).limit(most))
    return [(resource, meter, end.date()) for resource, meter, end in rows]


def sources_behind(tx: Session, seller: UUID, end: datetime) -> list[tuple[str, str, datetime, int]]:
    """Sources of a seller's feeds that have not told all up to a moment, and have something that goes on.

    Feed, source, up to when they have told all, and how many resources that is.
    """
    keys = (FeedRow.slug, FeedWatermarkRow.source, FeedWatermarkRow.told_until)
    query = (
        select(*keys, func.count(SpellRow.resource_id.distinct()))
        .join(FeedWatermarkRow, FeedWatermarkRow.feed_id == FeedRow.id)
        .join(SpellRow, SpellRow.watermark_id == FeedWatermarkRow.id)
        .where(FeedRow.organisation_id == seller, FeedWatermarkRow.told_until < end)
        .group_by(*keys)
        .order_by(*keys)
    )
    return [(slug, source, until, count) for slug, source, until, count in tx.execute(query)]


def last_day_of(tx: Session, meter: int, resources: Collection[int], first: date) -> date:
    """The last UTC day, from one on, on which resources have usage of a meter."""
    where = (UsageDayRow.resource_id.in_(resources), UsageDayRow.meter_id == meter, UsageDayRow.day >= first)
    return tx.scalar(select(func.max(UsageDayRow.day)).where(*where)) or first


def reaching(tx: Session, meter: int, resources: Collection[int], moment: datetime) -> set[int]:
    """The resources that have a spell from before a moment up to it, or beyond."""
    row = SpellRow
    where = (row.resource_id.in_(resources), row.meter_id == meter, row.start_at < moment, row.end_at >= moment)
    return set(tx.scalars(select(row.resource_id).where(*where)))


def take_out_spells(tx: Session, meter: int, resources: Collection[int], begin: datetime) -> list[Spell]:
    """Remove the spells of resources from a moment on; gives what there is of them up to it."""
    row = SpellRow
    where = (row.resource_id.in_(resources), row.meter_id == meter, row.end_at >= begin)
    before = [
        Spell(
            resource=each.resource_id,
            project=each.project_number,
            attributes=each.attribute_set_id,
            start=_seconds(each.start_at),
            end=_seconds(begin),
            level=scaled(each.level, QUANTITY_PLACES),
            run_start=_seconds(each.run_start),
            is_inferred=each.is_inferred and each.end_at == begin,
        )
        for each in tx.scalars(select(row).where(*where, row.start_at < begin))
    ]
    tx.execute(delete(row).where(*where), execution_options={"synchronize_session": False})
    return before


def put_in_spells(tx: Session, meter: int, spells: Sequence[Spell], watermarks: Mapping[int, int | None]) -> None:
    """Add spells.

    Args:
        watermarks: of the open ones, by resource, the number of how far has been told.
    """
    rows = [
        {
            "resource_id": each.resource,
            "meter_id": meter,
            "start_at": _moment(each.start),
            "end_at": _moment(each.end),
            "project_number": each.project,
            "attribute_set_id": each.attributes,
            "level": unscaled(each.level, QUANTITY_PLACES),
            "run_start": _moment(each.run_start),
            "watermark_id": watermarks.get(each.resource) if each.is_open else None,
            "is_inferred": each.is_inferred,
        }
        for each in spells
    ]
    if rows:
        tx.execute(insert(SpellRow), rows)


def spells_in(
    tx: Session, projects: Collection[int], meters: Collection[int], start: datetime, end: datetime
) -> Sequence[SpellRow]:
    """The spells of projects and meters that reach into a span of time, and those that they go on from."""
    if not projects or not meters:
        return []
    row = SpellRow
    of = (row.project_number.in_(projects), row.meter_id.in_(meters), row.start_at < row.end_at)
    found = list(tx.scalars(select(row).where(*of, row.start_at < end, row.end_at > start)))
    runs = {(each.resource_id, each.meter_id, each.run_start) for each in found if each.run_start < start}
    if runs:
        run = tuple_(row.resource_id, row.meter_id, row.run_start)
        found += tx.scalars(select(row).where(*of, run.in_(runs), row.end_at <= start))
    return found


def _seconds(at: datetime) -> int:
    return int(at.timestamp())


def _moment(seconds: int) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)
