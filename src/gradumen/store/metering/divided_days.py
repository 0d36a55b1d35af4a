"""Usage that is divided by what others used on the day: on which meters it depends, and what those came to."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import ColumnElement, Index, delete, exists, func, insert, or_, select, update
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.exact import QUANTITY_PLACES, scaled
from gradumen.core.metering.ownership import NOBODY
from gradumen.core.metering.usage import Span
from gradumen.store.columns import Base
from gradumen.store.metering.imported_costs import CostSetRow
from gradumen.store.metering.ownership_rows import OwnershipRuleListRow, OwnershipRuleRow
from gradumen.store.metering.stale_usage import mark_stale
from gradumen.store.metering.tables import FeedRow, ResourceRow, UsageDayRow
from gradumen.store.metering.usage import meter_rows


class DividedDayRow(Base):
    """A resource's usage of a meter on a UTC day that is divided by usage of another one, ``key_meter_id``.

    ``waits``: it was made before the day was over, and is nobody's until then.
    """

    __tablename__ = "divided_days"
    __table_args__ = (
        Index("ix_divided_days_key_meter_id_day", "key_meter_id", "day"),
        Index("ix_divided_days_waits_day", "waits", "day"),
    )

    resource_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    day: Mapped[date] = mapped_column(primary_key=True)
    key_meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    waits: Mapped[bool]


@dataclass(frozen=True, slots=True)
class DivisionByUsage:
    """That a seller divides usage, or costs, of meters by what is used of another one, all by number."""

    seller: UUID
    key: int
    meters: frozenset[int]


def divisions_by_usage(tx: Session) -> list[DivisionByUsage]:
    """How usage is divided by usage, by all rules that do so."""
    row = OwnershipRuleRow
    rules = tx.execute(select(row.organisation_id, row.by_usage).where(row.by_usage.is_not(None)))
    found = [(seller, by) for seller, by in rules if by is not None]
    numbers = {each.slug: number for number, each in meter_rows(tx).items()} if found else {}
    return [
        DivisionByUsage(seller, by["meter"], frozenset(numbers[each] for each in by["divides"] if each in numbers))
        for seller, by in found
    ]


def queue(tx: Session, sellers: Collection[UUID]) -> None:
    """Wait for whoever else makes what these sellers divide, or what they divide it by."""
    row = OwnershipRuleListRow
    list(tx.scalars(select(row.version).where(row.organisation_id.in_(sellers)).order_by(row.organisation_id)
                    .with_for_update()))  # fmt: skip


def replace(tx: Session, span: Span, rows: Iterable[tuple[int, date, int, bool]]) -> None:
    """Put these in the place of what was divided of a span: resource, day, key meter, and whether it waits."""
    row = DividedDayRow
    inside = (row.resource_id.in_(span.resources), row.meter_id == span.meter)
    tx.execute(
        delete(row).where(*inside, row.day.between(span.first, span.last)),
        execution_options={"synchronize_session": False},
    )
    columns = ("resource_id", "day", "key_meter_id", "waits")
    values = [dict(zip(columns, each, strict=True)) | {"meter_id": span.meter} for each in rows]
    if values:
        tx.execute(insert(row), values)


def mark_dependents(tx: Session, rule: DivisionByUsage, days: Collection[date], at: datetime) -> None:
    """What a rule divides on days is to be made again; what waits for its day to be over, then."""
    row, costs = DividedDayRow, CostSetRow
    own = select(FeedRow.id).where(FeedRow.organisation_id == rule.seller)
    places = select(row.resource_id, row.meter_id, row.day).join(ResourceRow, ResourceRow.id == row.resource_id)
    places = places.where(row.key_meter_id == rule.key, row.day.in_(days), row.waits.is_(False))
    found = tx.execute(places.where(ResourceRow.feed_id.in_(own)).distinct())
    mark_stale(tx, {(resource, meter, day) for resource, meter, day in found}, at)
    tx.execute(
        update(costs)
        .where(costs.day.in_(days), costs.is_current.is_(True), costs.waits.is_(False))
        .where(costs.feed_id.in_(own.where(FeedRow.cost_meter_id.in_(rule.meters))))
        .values(stale_since=func.coalesce(costs.stale_since, at)),
        execution_options={"synchronize_session": False},
    )


def mark_over(tx: Session, today: date, at: datetime) -> int:
    """What waited for its day to be over is to be made again, where it is; gives how much that is."""
    row, costs = DividedDayRow, CostSetRow
    places = select(row.resource_id, row.meter_id, row.day).where(row.waits.is_(True), row.day < today).distinct()
    marks = {(resource, meter, day) for resource, meter, day in tx.execute(places)}
    mark_stale(tx, marks, at)
    tx.execute(
        update(row).where(row.waits.is_(True), row.day < today).values(waits=False),
        execution_options={"synchronize_session": False},
    )
    made = tx.execute(
        update(costs)
        .where(costs.waits.is_(True), costs.day < today)
        .values(stale_since=func.coalesce(costs.stale_since, at), waits=False),
        execution_options={"synchronize_session": False},
    )
    return len(marks) + int(getattr(made, "rowcount", 0))


def is_over(moment: ColumnElement[datetime]) -> ColumnElement[bool]:
    """Whether something waits for its time, or its day, that is over at a moment of business: it is to be marked."""
    row, costs, today = DividedDayRow, CostSetRow, func.date(moment)
    return or_(
        exists().where(costs.ready_at <= moment),
        exists().where(costs.waits.is_(True), costs.day < today),
        exists().where(row.waits.is_(True), row.day < today),
    )


def used_on(
    tx: Session, meter: int, feeds: Collection[int], projects: Collection[int], first: date, last: date
) -> Mapping[date, Mapping[int, int]]:
    """What projects used of a meter by feeds on days, from the first until the last, in millionths."""
    row = UsageDayRow
    query = select(row.day, row.project_number, func.sum(row.total)).where(
        row.project_number.in_(projects), row.meter_id == meter, row.day.between(first, last)
    )
    of_feeds = row.resource_id.in_(select(ResourceRow.id).where(ResourceRow.feed_id.in_(feeds)))
    found: dict[date, dict[int, int]] = defaultdict(dict)
    for day, project, total in tx.execute(query.where(of_feeds).group_by(row.day, row.project_number)):
        found[day][project] = scaled(total, QUANTITY_PLACES)
    return found


def is_divided(tx: Session) -> bool:
    """Whether anything is divided by usage."""
    return tx.scalar(select(DividedDayRow.resource_id).limit(1)) is not None


def resources_of_nobody(tx: Session, feeds: Sequence[int], first: date) -> int:
    """How many resources of feeds have usage that is nobody's from a day on, but for what waits for its day."""
    if not feeds:
        return 0
    row, there = UsageDayRow, DividedDayRow
    of_it = (there.resource_id == row.resource_id, there.meter_id == row.meter_id, there.day == row.day)
    waits = select(there.day).where(*of_it, there.waits.is_(True))
    query = select(func.count(ResourceRow.id.distinct())).join(row, row.resource_id == ResourceRow.id)
    where = (row.project_number == NOBODY, row.day >= first, ResourceRow.feed_id.in_(feeds), ~waits.exists())
    return tx.scalar(query.where(*where)) or 0
