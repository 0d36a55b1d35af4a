"""What came in by feeds in a month, whose it is, and the balances that were signed off."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Select, String, delete, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, aliased, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text
from gradumen.store.metering.imported_costs import CostDayRow, CostRowRow, CostSetRow
from gradumen.store.metering.tables import DeliveryRow, ResourceRow, SpellRow, UsageDayRow
from gradumen.store.metering.usage import Which


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


@dataclass(frozen=True, slots=True)
class OfFeeds(Which):
    """Which usage: of feeds, whoever's it is; see `gradumen.store.metering.usage.Wanted`."""

    feeds: Collection[int]

    def of(self, query: Select[Any]) -> Select[Any]:
        """A query of usage, for what is wanted."""
        joined = query.join(ResourceRow, ResourceRow.id == UsageDayRow.resource_id)
        return joined.where(ResourceRow.feed_id.in_(self.feeds))


@dataclass(frozen=True, slots=True)
class OfNamesakes(Which):
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
    """What the sets of a feed say of a month, in a currency: rows and billed costs.

    Of those that stand, or do not any more; sent, or ``estimated``.
    """

    feed: int
    currency: str
    stands: bool
    estimated: bool
    tax: bool
    rows: int
    billed: Decimal


def costs_in(tx: Session, feeds: Collection[int], month: date) -> list[CostsIn]:
    """Costs of the sources' month, by feed, currency, whether they stand, are estimated, and are tax."""
    cost, tax = CostRowRow, CostRowRow.category == "Tax"
    estimated = CostSetRow.estimated_from.is_not(None)
    keys = (CostSetRow.feed_id, cost.currency, CostSetRow.is_current.is_not(None), estimated, tax)
    query = (
        select(*keys, func.count(), func.sum(cost.billed))
        .join(CostSetRow, CostSetRow.id == cost.set_id)
        .where(CostSetRow.feed_id.in_(feeds), cost.month == month, CostSetRow.delivery_id != 0)
        .group_by(*keys)
        .order_by(*keys)
    )
    rows: Any = tx.execute(query).all()
    return [
        CostsIn(feed, currency, bool(stands), bool(estimated), bool(tax), rows, billed)
        for feed, currency, stands, estimated, tax, rows, billed in rows
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
