"""Hourly usage: made again from readings where something changed, and looked at."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, add, unscaled
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import Sample, combine_hours
from gradumen.core.periods import Period, hour_number, hour_start, zone_of
from gradumen.core.permissions import Right
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.usage import (
    COLUMNS,
    lock_stale,
    meter_rows,
    meters_by_seller,
    paths_of,
    replace_usage,
    samples,
    sums_of_usage,
)
from gradumen.store.organisations.tables import ProjectRow, zone_name
from gradumen.store.revisions import touch_months
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
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
    first = lock_stale(tx, STALE_BATCH)
    grouped: dict[tuple[UUID, int], list[datetime]] = defaultdict(list)
    for project, meter, hour in first:
        grouped[project, meter].append(hour)
    meters = meter_rows(tx)
    for (project, meter), hours in grouped.items():
        _make_again(tx, project, meters[meter], hours)
        owner = tx.get_one(ProjectRow, project).organisation_id
        touch_months(tx, owner, sorted({date(hour.year, hour.month, 1) for hour in hours}))
    return len(first)


def _make_again(tx: Session, project: UUID, meter: MeterRow, hours: list[datetime]) -> None:
    """Replace the usage of some hours; straight through the driver, as there are many rows."""
    rows = samples(tx, project, meter.id, min(hours), max(hours), LONGEST)
    measured = (
        Sample(resource, attributes, start.replace(tzinfo=UTC), end.replace(tzinfo=UTC), int(quantity))
        for resource, attributes, start, end, quantity in rows
    )
    made = combine_hours(measured, Combine(meter.combine))
    wanted = {hour_number(hour) for hour in hours}
    values = [
        (hour_start(hour).replace(tzinfo=None), resource, attributes, unscaled(quantity, QUANTITY_PLACES), count)
        for (hour, resource, attributes), (quantity, count) in sorted(made.items())
        if hour in wanted
    ]
    replace_usage(tx, project, meter.id, hours, values)


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
    known = meter_rows(tx)
    columns = [name for name in by if name in COLUMNS]
    rows = sums_of_usage(
        tx,
        _seen_usage(tx, scope, owners),
        start,
        end,
        columns,
        project=project,
        meters=None if meter is None else [id for id, row in known.items() if row.slug == meter],
    )
    names: dict[Any, str] = {**paths_of(tx, owners)}
    sums: dict[tuple[int, tuple[tuple[str, str], ...]], Decimal] = defaultdict(Decimal)
    for row in rows:
        keys: dict[str, Any] = dict(zip(columns, row[2:], strict=True))
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


def _seen_usage(tx: Session, scope: Scope, owners: set[UUID]) -> list[tuple[set[UUID], list[int]]]:
    """The usage that a caller sees of some organisations: of the services of its own and those above it.

    What somebody below uses of the services of another seller below is between those two.
    """
    meters = meters_by_seller(tx)
    return [
        (
            scope.tree.below([member]) & owners,
            [each for seller in scope.tree.chain(member) for each in meters.get(seller, ())],
        )
        for member in scope.members_of()
    ]
