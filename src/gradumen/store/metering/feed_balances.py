"""What came in by feeds in a month, whose it is, and the balances that were signed off."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Select, String, delete, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, aliased, mapped_column

from gradumen.core.exact import add
from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.metering.archived_months import hold_places
from gradumen.store.metering.archived_readings import archived_across, archived_sums
from gradumen.store.metering.imported_costs import CostDayRow, CostRowRow, CostSetRow
from gradumen.store.metering.readings import CAME_IN
from gradumen.store.metering.tables import DeliveryRow, ResourceRow, SpellRow, UsageDayRow


class FeedSignOffRow(Base):
    """A month of a feed that its seller's finance signed off; ``document`` is the balance as it was then."""

    __tablename__ = "feed_sign_offs"

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    period: Mapped[str] = mapped_column(ascii_text(7), primary_key=True)
    is_open: Mapped[bool]
    reason: Mapped[str | None] = mapped_column(String(500))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    signed_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    signed_at: Mapped[datetime] = mapped_column(Moment)


@dataclass(frozen=True, slots=True)
class CameIn:
    """Readings of a feed and meter that begin in a month: those that stand, with their quantities; and the others."""

    readings: int = 0
    replaced: int = 0
    taken_back: int = 0
    summed: Decimal = Decimal(0)
    by_seconds: Decimal = Decimal(0)
    """The sum of each quantity times the seconds that its reading covers; of amounts of the quantities alone."""

    def __add__(self, other: "CameIn") -> "CameIn":
        return CameIn(
            self.readings + other.readings,
            self.replaced + other.replaced,
            self.taken_back + other.taken_back,
            add([self.summed, other.summed]),
            add([self.by_seconds, other.by_seconds]),
        )


_CAME_IN = f"""
SELECT z.feed_id, r.meter_id, {CAME_IN}
WHERE z.feed_id IN ({{marks}}) AND r.meter_id <> 0 AND r.start_at >= %s AND r.start_at < %s
GROUP BY z.feed_id, r.meter_id
"""
_ACROSS = """
SELECT z.feed_id, r.meter_id, r.resource_id, r.attribute_set_id, r.origin_id,
TIMESTAMPDIFF(SECOND, '1970-01-01', r.start_at), TIMESTAMPDIFF(SECOND, '1970-01-01', r.end_at),
CAST(r.quantity * 1000000 AS DECIMAL(44, 0))
FROM resources z JOIN readings r ON r.resource_id = z.id
LEFT JOIN superseded_readings s ON s.delivery_id = r.delivery_id AND s.position = r.position
WHERE z.feed_id IN ({marks}) AND r.start_at > %s AND r.start_at < %s AND r.end_at > %s AND s.delivery_id IS NULL
AND r.meter_id <> 0
"""


def came_in(tx: Session, feeds: Sequence[int], start: datetime, end: datetime) -> dict[tuple[int, int], CameIn]:
    """What came in that begins from a moment until before another, by feed and meter."""
    if not feeds:
        return {}
    hold_places(tx)
    statement = _CAME_IN.format(marks=", ".join(["%s"] * len(feeds)))
    rows = tx.connection().exec_driver_sql(statement, (*feeds, _bare(start), _bare(end))).fetchall()
    found: dict[tuple[int, int], CameIn] = defaultdict(CameIn)
    for feed, meter, stands, replaced, gone, summed, by_seconds in [*rows, *archived_sums(tx, feeds, start, end)]:
        found[feed, meter] += CameIn(int(stands), int(replaced), int(gone), summed, by_seconds)
    return dict(found)


def inferred_ends(tx: Session, feeds: Collection[int], start: datetime, end: datetime) -> dict[tuple[int, int], int]:
    """How many resources ended between two moments because a later list misses them, by feed and meter."""
    keys = (ResourceRow.feed_id, SpellRow.meter_id)
    query = select(*keys, func.count(SpellRow.resource_id.distinct())).group_by(*keys)
    query = query.join(ResourceRow, ResourceRow.id == SpellRow.resource_id)
    query = query.where(
        ResourceRow.feed_id.in_(feeds), SpellRow.is_inferred, SpellRow.end_at >= start, SpellRow.end_at < end
    )
    return {(feed, meter): count for feed, meter, count in tx.execute(query)}


def resources_held(
    tx: Session, feeds: Collection[int], start: datetime, end: datetime
) -> Iterator[tuple[int, int, list[int]]]:
    """By feed and meter of what holds until it changes, the resources that were there in some of a span of time."""
    query = select(ResourceRow.feed_id, SpellRow.meter_id, SpellRow.resource_id).distinct()
    query = query.join(ResourceRow, ResourceRow.id == SpellRow.resource_id)
    query = query.where(ResourceRow.feed_id.in_(feeds), SpellRow.start_at < end, SpellRow.end_at > start)
    found: dict[tuple[int, int], list[int]] = defaultdict(list)
    for feed, meter, resource in tx.execute(query):
        found[feed, meter].append(resource)
    yield from ((feed, meter, resources) for (feed, meter), resources in sorted(found.items()))


def readings_across(tx: Session, feeds: Sequence[int], moment: datetime, longest: timedelta) -> Sequence[Any]:
    """The readings that stand and begin before a moment and end after it.

    Feed, meter, resource, attributes, origin, start and end in seconds from 1970, millionths.
    """
    if not feeds:
        return []
    hold_places(tx)
    statement = _ACROSS.format(marks=", ".join(["%s"] * len(feeds)))
    at = _bare(moment)
    rows = tx.connection().exec_driver_sql(statement, (*feeds, at - longest, at, at)).fetchall()
    return [*rows, *archived_across(tx, feeds, moment, longest)]


def _bare(moment: datetime) -> datetime:
    """As the driver gives and takes times."""
    return moment.replace(tzinfo=None) - (moment.utcoffset() or timedelta(0))


@dataclass(frozen=True, slots=True)
class OfFeeds:
    """Which usage: of feeds, whoever's it is; see `gradumen.store.metering.usage.Wanted`."""

    feeds: Collection[int]

    def of(self, query: Select[Any]) -> Select[Any]:
        """A query of usage, for what is wanted."""
        joined = query.join(ResourceRow, ResourceRow.id == UsageDayRow.resource_id)
        return joined.where(ResourceRow.feed_id.in_(self.feeds))


@dataclass(frozen=True, slots=True)
class OfNamesakes:
    """Which usage: of the other feeds' resources that are called as one of these feeds'."""

    feeds: Collection[int]

    def of(self, query: Select[Any]) -> Select[Any]:
        """A query of usage, for what is wanted."""
        own = aliased(ResourceRow)
        joined = query.join(ResourceRow, ResourceRow.id == UsageDayRow.resource_id)
        names = select(own.name).where(own.feed_id.in_(self.feeds))
        return joined.where(ResourceRow.feed_id.not_in(self.feeds), ResourceRow.name.in_(names))


def refused_of(tx: Session, feeds: Collection[int], start: datetime, end: datetime) -> dict[int, int]:
    """How many items of feeds were refused of what came from a moment until before another."""
    row = DeliveryRow
    query = select(row.feed_id, func.sum(row.refused)).group_by(row.feed_id)
    query = query.where(row.feed_id.in_(feeds), row.received_at >= start, row.received_at < end)
    return {feed: int(count) for feed, count in tx.execute(query)}


@dataclass(frozen=True, slots=True)
class CostsIn:
    """What the sets of a feed say of a month, in a currency: rows and billed costs of those that stand."""

    feed: int
    currency: str
    stands: bool
    tax: bool
    rows: int
    billed: Decimal


def costs_in(tx: Session, feeds: Collection[int], month: date) -> list[CostsIn]:
    """What came of costs of the sources' month, by feed, currency, whether it stands, and whether it is tax."""
    cost, tax = CostRowRow, CostRowRow.category == "Tax"
    keys = (CostSetRow.feed_id, cost.currency, CostSetRow.is_current.is_not(None), tax)
    query = (
        select(*keys, func.count(), func.sum(cost.billed))
        .join(CostSetRow, CostSetRow.id == cost.set_id)
        .where(CostSetRow.feed_id.in_(feeds), cost.month == month, CostSetRow.delivery_id != 0)
        .group_by(*keys)
        .order_by(*keys)
    )
    rows: Any = tx.execute(query).all()
    return [
        CostsIn(feed, currency, bool(stands), bool(tax), rows, billed)
        for feed, currency, stands, tax, rows, billed in rows
    ]


def costs_by_owner(tx: Session, feeds: Collection[int], month: date) -> Sequence[Any]:
    """Whose the costs of the sources' month are, without tax.

    Feed, meter, project, resource, day, currency, billed cost, and as it is sold.
    """
    day = CostDayRow
    keys = (CostSetRow.feed_id, day.meter_id, day.project_number, ResourceRow.name, day.day, day.currency)
    sums = (func.sum(day.billed), func.sum(day.sold_billed), day.sold_billed.is_not(None))
    query = (
        select(*keys, *sums)
        .join(CostSetRow, CostSetRow.id == day.set_id)
        .join(ResourceRow, ResourceRow.id == day.resource_id)
        .where(CostSetRow.feed_id.in_(feeds), day.month == month, day.category != "Tax")
        .group_by(*keys, day.sold_billed.is_not(None))
    )
    return tx.execute(query).all()


def put_sign_off(tx: Session, feed: int, period: str, values: dict[str, Any]) -> None:
    """Sign a month off, over what was signed before; of two at once the later one holds."""
    statement = insert(FeedSignOffRow).values(feed_id=feed, period=period, **values)
    tx.execute(statement.on_duplicate_key_update(values))


def drop_sign_off(tx: Session, feed: int, period: str) -> bool:
    """Take a sign-off away; False where there was none."""
    row = FeedSignOffRow
    gone = tx.execute(delete(row).where(row.feed_id == feed, row.period == period))
    return bool(gone.rowcount)  # type: ignore[attr-defined]  # of a statement that changes rows


def sign_offs_of(tx: Session, feeds: Collection[int], period: str) -> dict[int, FeedSignOffRow]:
    """The balances of a month that were signed off, by feed."""
    row = FeedSignOffRow
    query = select(row).where(row.feed_id.in_(feeds), row.period == period)
    return {each.feed_id: each for each in tx.scalars(query, execution_options={"populate_existing": True})}
