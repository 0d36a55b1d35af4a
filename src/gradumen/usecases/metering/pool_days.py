"""Pools day by day: what there was, what of it was promised, and what of it was in use."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal
from itertools import groupby
from typing import Any
from uuid import UUID

from gradumen.core.errors import NotFound
from gradumen.core.exact import QUANTITY_PLACES, add, scaled
from gradumen.core.metering.uses import mean_level
from gradumen.core.permissions import Right
from gradumen.core.quotas.hosts import WHOLE
from gradumen.store.metering import pool_days as store
from gradumen.store.metering.pool_days import OfFeeds, PoolDayRow
from gradumen.store.metering.usage import sums_of_days
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.hosts import HostDayRow
from gradumen.store.quotas.hosts import days_of as host_days_of
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.pools import PoolRow, find_pool
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.metering.uses import meters_of_measures
from gradumen.usecases.quotas.hosts import DAY, check_days
from gradumen.usecases.quotas.pools import pool_bodies
from gradumen.usecases.scope import Caller, load_scope, scope_of_nobody
from gradumen.wire.metering.pool_days import PoolDayBody

EVERY = timedelta(hours=1)
MOST_AT_ONCE = 500


@use_case
def note_pools(tx: Session, *, at: datetime) -> int:
    """Note what there is of pools, and what of it is promised, where that was not within the hour. Gives how many."""
    scope = scope_of_nobody(tx, at)
    day = scope.now.date()
    due = store.pools_to_note(tx, day, scope.now - EVERY, MOST_AT_ONCE)
    for owner, rows in groupby(due, key=lambda row: row.organisation_id):
        bodies = pool_bodies(tx, scope, tx.get_one(OrganisationRow, owner), list(rows))
        names = ("capacity", "factor", "promised", "at_site", "left")
        store.note(
            tx,
            [
                {"pool_id": each.id, "day": day, "noted_at": scope.now} | {name: getattr(each, name) for name in names}
                for each in bodies
            ],
        )
    return len(due)


@use_case
def list_pool_days(
    tx: Session, caller: Caller, *, pool: UUID, first: date | None, end: date | None
) -> list[PoolDayBody]:
    """What there was of a pool on each day that is noted, from one until before another; the last 30 unless said.

    Raises:
        NotFound: there is no such pool of the caller's.
        Invalid: days the wrong way round, or more than 400 of them.
    """
    scope = load_scope(tx, caller)
    row = find_pool(tx, pool)
    if row is None or not scope.is_member(row.organisation_id):
        raise NotFound("pool", pool)
    scope.require_member(Right.READ, tx.get_one(OrganisationRow, row.organisation_id))
    today = scope.now.date()
    until = end or today + DAY
    begins = first or until - 30 * DAY
    check_days(begins, until)
    clouds = store.clouds_at(tx, row.site_id, row.organisation_id)
    metered = _metered(tx, row, clouds, begins, min(until, today))
    told = _on_hosts(tx, row, clouds, begins, until)
    return [
        _body(
            each,
            None if metered is None or each.day >= today else metered.get(each.day, Decimal(0)),
            told.get(each.day, ()),
        )
        for each in store.days_of(tx, row.id, begins, until)
    ]


def _metered(
    tx: Session, pool: PoolRow, clouds: Sequence[UUID], first: date, end: date
) -> Mapping[date, Decimal] | None:
    """The mean of days that have usage, by day; None where nothing is metered."""
    measure = load_measures(tx)[pool.measure]
    meters = [id for id, meter in meters_of_measures(tx).items() if meter.measure == measure]
    feeds = store.feeds_of(tx, clouds)
    if not measure.level or not meters or not feeds:
        return None
    sums: dict[date, list[Decimal]] = defaultdict(list)
    for _, total, day in sums_of_days(tx, OfFeeds(feeds, meters), first, end - DAY, ("day",)):
        sums[day].append(total)
    return {day: mean_level(measure, scaled(add(totals), QUANTITY_PLACES), 24) for day, totals in sums.items()}


def _on_hosts(
    tx: Session, pool: PoolRow, clouds: Sequence[UUID], first: date, end: date
) -> Mapping[date, Sequence[HostDayRow]]:
    """What the hosts of each cloud told of the pool's measure, by day."""
    found: dict[date, list[HostDayRow]] = defaultdict(list)
    for row in host_days_of(tx, clouds, WHOLE, first, end, resource=pool.measure):
        found[row.day].append(row)
    return found


def _body(row: PoolDayRow, metered: Decimal | None, told: Sequence[HostDayRow]) -> PoolDayBody:
    sums: dict[str, Any] = {
        name: add([getattr(each, of) for each in told]) if told else None
        for name, of in (("handed_out", "capacity"), ("on_hosts", "used"), ("on_hosts_most", "used_most"))
    }
    return PoolDayBody(
        day=row.day,
        capacity=row.capacity,
        factor=row.factor,
        promised=row.promised,
        at_site=row.at_site,
        left=row.left,
        metered=metered,
        **sums,
    )
