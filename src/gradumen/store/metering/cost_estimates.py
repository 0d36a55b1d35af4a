"""Estimates of costs: sets that nobody sent, of days that no file states yet; queries."""

from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import ColumnElement, func, insert, literal, or_, select, text
from sqlalchemy.orm import Session, aliased

from gradumen.core.metering.imported_costs import CostCategory
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow
from gradumen.store.metering.tables import DeliveryRow, FeedRow

REVISION = datetime(1970, 1, 1, tzinfo=UTC)
"""Of an estimate: whatever a file states stands over it."""
_COPIED = (
    "position", "resource_id", "origin_id", "attribute_set_id", "category", "correction", "commitment", "currency",
    "billed", "effective", "listed", "contracted", "begins", "lasts",
)  # fmt: skip


def feeds_estimated(tx: Session) -> list[int]:
    """The feeds whose costs are estimated until a file states them, by number."""
    return list(tx.scalars(select(FeedRow.id).where(FeedRow.estimates_costs.is_(True)).order_by(FeedRow.id)))


def _whole(feed: int, since: date) -> tuple[ColumnElement[bool], ...]:
    """Sets of days from one on that a file states which was written when the day was over."""
    row = CostSetRow
    sent = (row.feed_id == feed, row.day >= since, row.is_current.is_(True), row.estimated_from.is_(None))
    return *sent, row.revision >= func.adddate(row.day, 1)


def last_days(tx: Session, feed: int, since: date) -> dict[str, date]:
    """By billing account the last day, from one on, that is stated whole."""
    row = CostSetRow
    query = select(row.account, func.max(row.day)).where(*_whole(feed, since)).group_by(row.account)
    return dict(tx.execute(query.order_by(row.account)).all())


def last_whole(tx: Session, feed: int, account: str, since: date) -> CostSetRow | None:
    """The last day of a billing account, from one on, that is stated whole."""
    row = CostSetRow
    query = select(row).where(*_whole(feed, since), row.account == account)
    return tx.scalars(query.order_by(row.day.desc()).limit(1)).first()


def used_in(tx: Session, number: int) -> tuple[int, Decimal]:
    """How many rows of a set are copied, and their billed costs without signs."""
    sums = (func.count(), func.coalesce(func.sum(func.abs(CostRowRow.billed)), Decimal(0)))
    count, weight = tx.execute(select(*sums).where(*_used(number))).one()
    return count, weight


def copy_used(tx: Session, base: CostSetRow, made: CostSetRow) -> None:
    """Give a set what was used of another within its day: as much cost on its own, without quantities."""
    row = CostRowRow
    months = 12 * (made.day.year - base.day.year) + made.day.month - base.day.month
    month = func.date_add(row.month, text(f"INTERVAL {months:d} MONTH"))
    query = select(literal(made.id), month, *(getattr(row, name) for name in _COPIED)).where(*_used(base.id))
    tx.execute(insert(row).from_select(["set_id", "month", *_COPIED], query))


def _used(number: int) -> tuple[ColumnElement[bool], ...]:
    row = CostRowRow
    # What is charged for longer, as a month's fee, is not charged again on the next day.
    return row.set_id == number, row.category == CostCategory.USAGE, row.correction.is_(False), row.lasts <= 86_400


def brought_estimates(tx: Session, feed: int, *, before: date | None = None) -> list[DeliveryRow]:
    """What brought the estimates of a feed that stand.

    Args:
        before: only those as sets that do not stand any more, or that are of days before this one.
    """
    row, base = CostSetRow, aliased(CostSetRow)
    standing = select(row.delivery_id).where(row.feed_id == feed, row.is_current.is_(True))
    standing = standing.where(row.estimated_from.is_not(None))
    if before is not None:
        fallen = or_(base.is_current.is_(None), base.day < before)
        standing = standing.join(base, base.id == row.estimated_from).where(fallen)
    return list(tx.scalars(select(DeliveryRow).where(DeliveryRow.id.in_(standing)).order_by(DeliveryRow.id)))


@dataclass(frozen=True, slots=True)
class Estimated:
    """Of a feed the first day before a moment that is only estimated, and of how many days that is so."""

    feed: str
    first: date
    days: int


def estimated_before(tx: Session, organisation: UUID, end: datetime) -> list[Estimated]:
    """What is estimated of the feeds of an organisation of days that begin before a moment."""
    row = CostSetRow
    query = select(FeedRow.slug, func.min(row.day), func.count(row.day.distinct())).group_by(FeedRow.slug)
    query = query.join(row, row.feed_id == FeedRow.id).where(FeedRow.organisation_id == organisation)
    query = query.where(row.estimated_from.is_not(None), row.is_current.is_(True), row.day < end)
    return [Estimated(*each) for each in tx.execute(query.order_by(FeedRow.slug)).all()]
