"""Whose imported costs are, made again where a file or a rule changed it, in bounded batches."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from decimal import Decimal
from uuid import UUID

import polars as pl

from gradumen.core.metering.cost_days import WHOSE, cost_days
from gradumen.core.metering.imported_costs import rate_on
from gradumen.core.metering.ownership import ByUsage, Whose
from gradumen.core.units import parse_unit
from gradumen.store.metering import imported_costs as store
from gradumen.store.metering.exchange_rates import rates_by_currencies
from gradumen.store.metering.feeds import feeds_by_id
from gradumen.store.metering.imported_costs import CostSetRow
from gradumen.store.metering.stale_usage import organisations_by_number
from gradumen.store.metering.tables import FeedRow
from gradumen.store.metering.usage import meter_rows
from gradumen.store.pairs import raise_pairs
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering.day_shares import Dividing
from gradumen.usecases.metering.owners import owners_by_rule

BATCH = 100
"""Sets worked off in one transaction."""
BATCH_ROWS = 100_000
"""Rows of files that these have, unless one alone has more."""


def refresh_costs(uow: UnitOfWork, *, at: datetime) -> int:
    """Work off the sets that are marked until none is left; gives how many."""
    done = 0
    while count := refresh_batch(uow, at=at):
        done += count
    return done


@use_case
def refresh_batch(tx: Session, *, at: datetime) -> int:
    """Say whose the oldest marked sets are again; gives how many that were. Rivals over the same sets queue."""
    if store.oldest_stale(tx) is None:
        return 0
    dividing = Dividing(tx, at)
    marked = store.next_stale(tx, BATCH, BATCH_ROWS)
    if not marked:
        return 0
    keys = {(each.feed_id, each.account, each.day) for each in marked}
    touched = store.take_out(tx, keys)
    feeds = feeds_by_id(tx, {each.feed_id for each in marked})
    rates = _Rates(tx)
    by_meter: dict[int, list[CostSetRow]] = defaultdict(list)
    for each in store.current_sets(tx, keys):
        meter = feeds[each.feed_id].cost_meter_id
        if meter is not None:
            by_meter[meter].append(each)
    for meter, standing in sorted(by_meter.items()):
        touched |= _make(tx, meter, standing, feeds, rates, dividing)
    for each in marked:
        each.stale_since = None
    tx.flush()
    owners = organisations_by_number(tx, {project for project, _ in touched})
    months: dict[UUID, set[date]] = defaultdict(set)
    for project, month in touched:
        if project in owners:
            months[owners[project]].add(month)
    raise_pairs(tx, months)
    return len(marked)


class _Rates:
    """Exchange rates of sellers, read once each."""

    def __init__(self, tx: Session) -> None:
        self._tx = tx
        self._of: dict[UUID, dict[tuple[str, str], list[tuple[date, Decimal]]]] = {}

    def on(self, seller: UUID, currency: str, into: str, day: date) -> Decimal | None:
        """What a unit is worth to a seller on a day; None where nobody says."""
        if currency == into:
            return Decimal(1)
        if seller not in self._of:
            self._of[seller] = rates_by_currencies(self._tx, seller)
        return rate_on(self._of[seller].get((currency, into), ()), day)


def _make(
    tx: Session,
    meter: int,
    standing: Sequence[CostSetRow],
    feeds: Mapping[int, FeedRow],
    rates: _Rates,
    dividing: Dividing,
) -> set[tuple[int, date]]:
    """Say whose sets are of a meter; gives the projects and months that have any."""
    alike = store.alike_rows(tx, [each.id for each in standing])
    if not alike.height:
        return set()
    into = parse_unit(meter_rows(tx)[meter].unit).dimensions[0]
    sellers = {each.id: feeds[each.feed_id].organisation_id for each in standing}
    units = {
        (number, currency, day): rates.on(sellers[number], currency, into, day)
        for number, currency, day in alike.select("set_id", "currency", "day").unique().iter_rows()
    }
    whose = _whose(tx, meter, alike)
    by_usage = {(by, day) for (*_, day), by in whose.items() if isinstance(by, ByUsage)}
    for each in standing:
        each.waits = any(day == each.day and dividing.waits(day) for _, day in by_usage)
    shares = dividing.of_costs(by_usage)
    owners = {key: shares[by, key[3]] if isinstance(by, ByUsage) else by for key, by in whose.items()}
    days = cost_days(alike, owners, units).with_columns(pl.lit(meter).alias("meter_id"))
    store.put_in(tx, days)
    return set(days.select("project_number", "month").unique().rows())


Key = tuple[int, int, int, date]
"""Resource, attributes, origin and day of costs."""


def _whose(tx: Session, meter: int, alike: pl.DataFrame) -> dict[Key, Whose]:
    """Whose things are; what is nobody's is left out."""
    distinct = alike.select(WHOSE).unique()
    start = distinct["day"].cast(pl.Datetime("us")).dt.epoch("s").alias("start")
    found = owners_by_rule(tx, meter, set(distinct.select(*WHOSE[:3], start).iter_rows()))
    return {
        (resource, attributes, origin, datetime.fromtimestamp(at, UTC).date()): whose
        for (resource, attributes, origin, at), whose in found.items()
    }
