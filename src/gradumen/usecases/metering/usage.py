"""Hourly usage: made again from readings where something changed, and looked at."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, and_, delete, false, func, or_, select, tuple_
from sqlalchemy.orm import Session

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, add, unscaled
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import Sample, combine_hours
from gradumen.core.periods import Period, hour_number, hour_start, zone_of
from gradumen.core.permissions import Right
from gradumen.store.catalogue.tables import MeterRow, ServiceRow
from gradumen.store.metering.tables import (
    StaleUsageRow,
    UsageHourRow,
)
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, zone_name
from gradumen.store.revisions import touch_months
from gradumen.store.unit_of_work import UnitOfWork, use_case
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope

STALE_BATCH = 600
DIMENSIONS = ("day", "meter", "resource", "project", "organisation")


def refresh_usage(uow: UnitOfWork) -> int:
    """Make stale hours again until none is left; gives how many. Safe to run beside itself and new readings."""
    done = 0
    while count := _refresh_batch(uow):
        done += count
    return done


@use_case
def _refresh_batch(tx: Session) -> int:
    first = tx.execute(
        select(StaleUsageRow.project_id, StaleUsageRow.meter_id, StaleUsageRow.hour)
        .order_by(StaleUsageRow.project_id, StaleUsageRow.meter_id, StaleUsageRow.hour)
        .limit(STALE_BATCH)
        .with_for_update()
    ).all()
    grouped: dict[tuple[UUID, int], list[datetime]] = defaultdict(list)
    for project, meter, hour in first:
        grouped[project, meter].append(hour)
    meters = {row.id: row for row in tx.scalars(select(MeterRow))}
    for (project, meter), hours in grouped.items():
        _make_again(tx, project, meters[meter], hours)
        owner = tx.get_one(ProjectRow, project).organisation_id
        touch_months(tx, owner, sorted({date(hour.year, hour.month, 1) for hour in hours}))
    return len(first)


_SAMPLES = """
SELECT r.resource, r.attribute_set_id, r.start_at, r.end_at, CAST(r.quantity * 1000000 AS DECIMAL(44, 0))
FROM readings r LEFT JOIN superseded_readings s
ON s.delivery_id = r.delivery_id AND s.source = r.source AND s.event_id = r.event_id
WHERE r.project_id = %s AND r.meter_id = %s AND r.start_at > %s AND r.start_at < %s AND r.end_at > %s
AND s.delivery_id IS NULL
"""
_INSERT = """
INSERT INTO usage_hours (project_id, meter_id, hour, resource, attribute_set_id, quantity, readings)
VALUES (%s, %s, %s, %s, %s, %s, %s)
"""


def _make_again(tx: Session, project: UUID, meter: MeterRow, hours: list[datetime]) -> None:
    """Replace the usage of some hours; straight through the driver, as there are many rows."""
    first, last = min(hours).replace(tzinfo=None), max(hours).replace(tzinfo=None)
    driver = tx.connection()
    rows = driver.exec_driver_sql(
        _SAMPLES, (str(project), meter.id, first - LONGEST, last + timedelta(hours=1), first)
    ).fetchall()
    samples = (
        Sample(resource, attributes, start.replace(tzinfo=UTC), end.replace(tzinfo=UTC), int(quantity))
        for resource, attributes, start, end, quantity in rows
    )
    made = combine_hours(samples, Combine(meter.combine))
    wanted = {hour_number(hour) for hour in hours}
    for table in (UsageHourRow, StaleUsageRow):
        tx.execute(delete(table).where(table.project_id == project, table.meter_id == meter.id, table.hour.in_(hours)))
    values = [
        (
            str(project),
            meter.id,
            hour_start(hour).replace(tzinfo=None),
            resource,
            attributes,
            unscaled(quantity, QUANTITY_PLACES),
            count,
        )
        for (hour, resource, attributes), (quantity, count) in sorted(made.items())
        if hour in wanted
    ]
    if values:
        driver.exec_driver_sql(_INSERT, values)


@dataclass(frozen=True, slots=True)
class UsageSum:
    """Usage of a meter under one value of each chosen dimension, in the meter's base unit."""

    meter: str
    unit: str
    keys: dict[str, str]
    quantity: Decimal


@use_case
def sum_usage(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    period: str,
    by: tuple[str, ...],
    project: str | None,
    meter: str | None,
    limit: int,
) -> list[UsageSum]:
    """Usage of an organisation and all below in a month of its billing zone, by chosen dimensions.

    The largest quantities first within a meter, days in order.

    Raises:
        Invalid: an unknown dimension.
    """
    for name in by:
        if name not in DIMENSIONS:
            raise Invalid(f"usage has no dimension '{name[:30]}'; choose from {', '.join(DIMENSIONS)}", field="by")
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    month = Period.parse(period)
    zone = zone_of(zone_name(tx, owner.id, month.first_day))
    start, end = month.bounds(zone)
    owners = scope.tree.below([owner.id])
    known = {row.id: row for row in tx.scalars(select(MeterRow))}
    query = (
        select(UsageHourRow.meter_id, func.sum(UsageHourRow.quantity))
        .join(ProjectRow, ProjectRow.id == UsageHourRow.project_id)
        .where(_seen_usage(tx, scope, owners), UsageHourRow.hour >= start, UsageHourRow.hour < end)
        .group_by(UsageHourRow.meter_id)
    )
    columns = {
        "resource": UsageHourRow.resource,
        "project": UsageHourRow.project_id,
        "organisation": ProjectRow.organisation_id,
        "day": UsageHourRow.hour,
    }
    for name in by:
        if name in columns:
            query = query.add_columns(columns[name].label(name)).group_by(columns[name])
    if project is not None:
        query = query.where(ProjectRow.slug == project)
    if meter is not None:
        query = query.where(UsageHourRow.meter_id.in_([id for id, row in known.items() if row.slug == meter]))
    names = _names(tx, owners)
    sums: dict[tuple[int, tuple[tuple[str, str], ...]], Decimal] = defaultdict(Decimal)
    for row in tx.execute(query):
        keys: dict[str, Any] = dict(zip([name for name in by if name in columns], row[2:], strict=True))
        if "day" in keys:
            keys["day"] = keys["day"].astimezone(zone).date().isoformat()
        shown = tuple((name, names.get(value, str(value))) for name, value in keys.items())
        sums[row[0], shown] = add([sums[row[0], shown], row[1]])
    found = [UsageSum(known[id].slug, known[id].unit, dict(keys), quantity) for (id, keys), quantity in sums.items()]
    if "day" in by:
        found.sort(key=lambda each: (each.meter, each.keys["day"], -each.quantity))
    else:
        found.sort(key=lambda each: (each.meter, -each.quantity, str(each.keys)))
    return found[:limit]


def _seen_usage(tx: Session, scope: Scope, owners: set[UUID]) -> ColumnElement[bool]:
    """The usage that a caller sees of some organisations: of the services of its own and those above it.

    What somebody below uses of the services of another seller below is between those two.
    """
    meters: dict[UUID, list[int]] = defaultdict(list)
    for number, seller in tx.execute(
        select(MeterRow.id, ServiceRow.organisation_id).join(ServiceRow, ServiceRow.id == MeterRow.service_id)
    ):
        meters[seller].append(number)
    return or_(
        false(),
        *(
            and_(
                ProjectRow.organisation_id.in_(scope.tree.below([member]) & owners),
                UsageHourRow.meter_id.in_([each for seller in scope.tree.chain(member) for each in meters[seller]]),
            )
            for member in scope.members_of()
        ),
    )


def _names(tx: Session, owners: set[UUID]) -> dict[Any, str]:
    rows = tx.execute(
        select(ProjectRow.id, ProjectRow.slug, OrganisationRow.id, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(tuple_(ProjectRow.organisation_id).in_([(owner,) for owner in owners]))
    )
    names: dict[Any, str] = {}
    for project_id, project, organisation_id, organisation in rows:
        names[project_id] = f"{organisation}/{project}"
        names[organisation_id] = organisation
    return names
