"""What came in by feeds: their readings added up, and those that reach over a moment.

Readings are clustered by resource, meter and start. Asked for by lists of the first two, only those of the time that is
asked for are read, not the whole partition of each month that it touches, nor what came by other feeds.
"""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from itertools import islice
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.exact import add
from gradumen.core.periods import months_since
from gradumen.store.bulk import LISTED
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.archived_readings import archived_across, archived_sums
from gradumen.store.metering.stale_usage import bare_midnight
from gradumen.store.metering.tables import DeliveryRow, ResourceRow, SupersededReadingRow

Place = tuple[int, int, str]
"""A feed, a meter, and some resources of it, in a list for a statement."""


@dataclass(frozen=True, slots=True)
class CameIn:
    """Readings of a feed and meter that begin in a month: those that stand, with their quantities; and the others."""

    readings: int = 0
    replaced: int = 0
    taken_back: int = 0
    summed: Decimal = Decimal(0)
    """Of meters of levels each quantity times the seconds that its reading covers, but for amounts."""

    def __add__(self, other: "CameIn") -> "CameIn":
        return CameIn(
            self.readings + other.readings,
            self.replaced + other.replaced,
            self.taken_back + other.taken_back,
            add([self.summed, other.summed]),
        )


_METERS = """
SELECT z.id, m.id FROM resources z JOIN meters m WHERE z.id IN ({resources}) AND (
SELECT r.meter_id FROM readings r
WHERE r.resource_id = z.id AND r.meter_id = m.id AND r.start_at >= %s AND r.start_at < %s
LIMIT 1) IS NOT NULL
"""
_STANDS, _TAKES_BACK = "s.delivery_id IS NULL", "takes_back IS NOT NULL"
_CAME_IN = f"""
SELECT SUM({_STANDS}),
SUM(NOT {_STANDS} AND s.by_delivery_id NOT IN (SELECT id FROM deliveries WHERE {_TAKES_BACK} OR is_read_again)),
SUM(NOT {_STANDS} AND s.by_delivery_id IN (SELECT id FROM deliveries WHERE {_TAKES_BACK})),
SUM(IF({_STANDS}, {{quantity}}, 0))
FROM readings r LEFT JOIN superseded_readings s
ON ({{replaced}}) AND s.delivery_id = r.delivery_id AND s.position = r.position
WHERE r.meter_id = %s AND r.resource_id IN ({{resources}}) AND r.start_at >= %s AND r.start_at < %s
"""
_BY_SECONDS = """r.quantity * IF(r.origin_id IN (SELECT id FROM origins WHERE is_amount), 1,
TIMESTAMPDIFF(SECOND, r.start_at, r.end_at))"""
_ACROSS = """
SELECT r.resource_id, r.attribute_set_id, r.origin_id,
TIMESTAMPDIFF(SECOND, '1970-01-01', r.start_at), TIMESTAMPDIFF(SECOND, '1970-01-01', r.end_at),
CAST(r.quantity * 1000000 AS DECIMAL(44, 0))
FROM readings r LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE r.meter_id = %s AND r.resource_id IN ({resources}) AND r.start_at > %s AND r.start_at < %s AND r.end_at > %s
AND s.delivery_id IS NULL
"""


def places_of(tx: Session, feeds: Sequence[int], start: datetime, end: datetime) -> list[Place]:
    """Where the readings of feeds are, of known kinds and of the UTC months that a span of time touches."""
    hold_places(tx)
    months = months_since(start.astimezone(UTC).date(), end.astimezone(UTC).date())
    return list(_places(tx, feeds, bare_midnight(months[0]), bare_midnight(months[-1])))


def came_in(
    tx: Session,
    feeds: Sequence[int],
    places: Sequence[Place],
    levels: Collection[int],
    start: datetime,
    end: datetime,
) -> dict[tuple[int, int], CameIn]:
    """What came in that begins from a moment until before another, by feed and meter; ``levels`` are such meters."""
    found: dict[tuple[int, int], CameIn] = defaultdict(CameIn)
    looked_at = _replaced_in(tx, feeds, start, end)
    for feed, meter, resources in places:
        quantity = _BY_SECONDS if meter in levels else "r.quantity"
        statement = _CAME_IN.format(resources=resources, replaced=looked_at, quantity=quantity)
        row = tx.connection().exec_driver_sql(statement, (meter, _bare(start), _bare(end))).one()
        if row[0] is not None:
            stands, replaced, gone, summed = row
            found[feed, meter] += CameIn(int(stands), int(replaced), int(gone), summed)
    for feed, meter, stands, replaced, gone, summed, by_seconds in archived_sums(tx, feeds, start, end):
        found[feed, meter] += CameIn(stands, replaced, gone, by_seconds if meter in levels else summed)
    return dict(found)


def readings_across(
    tx: Session, feeds: Sequence[int], places: Sequence[Place], moment: datetime, longest: timedelta
) -> Sequence[Any]:
    """The readings that stand and begin before a moment and end after it.

    Feed, meter, resource, attributes, origin, start and end in seconds from 1970, millionths.
    """
    at, found = _bare(moment), []
    for feed, meter, resources in places:
        statement = _ACROSS.format(resources=resources)
        rows = tx.connection().exec_driver_sql(statement, (meter, at - longest, at, at))
        found += [(feed, meter, *row) for row in rows]
    return [*found, *archived_across(tx, feeds, moment, longest)]


def _places(tx: Session, feeds: Sequence[int], start: datetime, end: datetime) -> Iterator[Place]:
    row = ResourceRow
    for feed in feeds:
        resources = iter(tx.scalars(select(row.id).where(row.feed_id == feed).order_by(row.id)).all())
        while some := list(islice(resources, LISTED)):
            found: dict[int, list[int]] = defaultdict(list)
            statement = _METERS.format(resources=_listed(some))
            for resource, meter in tx.connection().exec_driver_sql(statement, (start, end)):
                found[meter].append(resource)
            yield from ((feed, meter, _listed(each)) for meter, each in sorted(found.items()))


def _replaced_in(tx: Session, feeds: Sequence[int], start: datetime, end: datetime) -> str:
    """Of which readings to look whether they were replaced: of deliveries some of which were, where these are few."""
    row, delivery = SupersededReadingRow, DeliveryRow
    then = (delivery.first_at < end) & (delivery.last_at >= start)
    query = select(row.delivery_id).distinct().join(delivery, delivery.id == row.delivery_id)
    query = query.where(delivery.feed_id.in_(feeds), then | delivery.first_at.is_(None))
    some = tx.scalars(query.limit(LISTED + 1)).all()
    # No delivery is 0; where the list is empty the database would look for all readings.
    return "TRUE" if len(some) > LISTED else f"r.delivery_id IN ({_listed([0, *some])})"


def _listed(numbers: Sequence[int]) -> str:
    return ", ".join(map(str, numbers))


def _bare(moment: datetime) -> datetime:
    """As the driver gives and takes times."""
    return moment.replace(tzinfo=None) - (moment.utcoffset() or timedelta(0))
