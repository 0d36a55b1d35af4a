"""What is in an account of a cloud, as the feed of the cloud measured it: queries."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.core.metering.imported_costs import CostCategory
from gradumen.core.periods import midnight
from gradumen.store.metering.imported_costs import CostDayRow, CostSetRow
from gradumen.store.metering.tables import OriginRow, ReadingRow, ResourceRow, UsageDayRow


@dataclass(frozen=True, slots=True)
class Content:
    """What was used of a meter, with one set of attributes, by whose it is, in base units.

    Of costs it is in the currency in which they are sold, None where no exchange rate says what they are worth.
    """

    meter: int
    attributes: int
    project: int
    quantity: Decimal | None


def resources_in(tx: Session, feed: int, account: str, first: date, end: date) -> set[int]:
    """The resources that a feed measured in an account from a day of UTC up to (not including) another."""
    reading = ReadingRow
    query = (
        select(reading.resource_id)
        .join(ResourceRow, ResourceRow.id == reading.resource_id)
        .join(OriginRow, OriginRow.id == reading.origin_id)
        .where(ResourceRow.feed_id == feed, OriginRow.account == account)
        .where(reading.start_at >= midnight(first), reading.start_at < midnight(end), reading.meter_id != 0)
    )
    return set(tx.scalars(query.distinct()))


def contents_of(tx: Session, resources: Collection[int], first: date, end: date) -> list[Content]:
    """What was used of some resources on these days."""
    usage = UsageDayRow
    keys = (usage.meter_id, usage.attribute_set_id, usage.project_number)
    query = select(*keys, func.sum(usage.total)).group_by(*keys)
    query = query.where(usage.resource_id.in_(resources), usage.day >= first, usage.day < end).order_by(*keys)
    found: Any = tx.execute(query).all()
    return [Content(*row) for row in found]


def first_day_of(tx: Session, resources: Collection[int]) -> date | None:
    """The first day of UTC on which anything of some resources was used."""
    return tx.scalar(select(func.min(UsageDayRow.day)).where(UsageDayRow.resource_id.in_(resources)))


def costs_in(
    tx: Session, feed: int, account: str, first: date, end: date
) -> tuple[list[Content], set[int], date | None]:
    """What files of a feed say that an account cost on these days, without tax; of which resources, and since when."""
    day = CostDayRow
    here = (
        select(day.set_id)
        .join(CostSetRow, CostSetRow.id == day.set_id)
        .join(OriginRow, OriginRow.id == day.origin_id)
        .where(CostSetRow.feed_id == feed, CostSetRow.is_current.is_(True), OriginRow.account == account)
        .where(day.category != CostCategory.TAX)
    )
    keys = (day.meter_id, day.attribute_set_id, day.project_number)
    # Of what has no exchange rate the sum is not known.
    worth = func.if_(func.count() == func.count(day.sold_billed), func.sum(day.sold_billed), None)
    inside = here.where(day.day >= first, day.day < end)
    found: Any = tx.execute(inside.with_only_columns(*keys, worth).group_by(*keys).order_by(*keys)).all()
    resources = set(tx.scalars(inside.with_only_columns(day.resource_id).distinct()))
    return [Content(*row) for row in found], resources, tx.scalar(here.with_only_columns(func.min(day.day)))
