"""Whose imported costs are, made again where a file or a rule changed it, in bounded batches."""

from collections import defaultdict
from dataclasses import replace
from datetime import UTC, date, datetime, time
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.exact import AMOUNT_PLACES, allocate, scaled, unscaled
from gradumen.core.metering.imported_costs import converted, rate_on
from gradumen.core.metering.ownership import NOBODY, Shares
from gradumen.core.units import parse_unit
from gradumen.store.metering import imported_costs as store
from gradumen.store.metering.exchange_rates import rates_of
from gradumen.store.metering.feeds import feeds_by_id
from gradumen.store.metering.imported_costs import Alike, CostSetRow, Key
from gradumen.store.metering.stale_usage import organisations_by_number
from gradumen.store.metering.tables import FeedRow
from gradumen.store.metering.usage import meter_rows
from gradumen.store.pairs import raise_pairs
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering.owners import owners_by_rule

BATCH = 100
"""Sets worked off in one transaction."""


def refresh_costs(uow: UnitOfWork) -> int:
    """Work off the sets that are marked until none is left; gives how many."""
    done = 0
    while count := refresh_batch(uow):
        done += count
    return done


@use_case
def refresh_batch(tx: Session) -> int:
    """Say whose the oldest marked sets are again; gives how many that were. Rivals over the same sets queue."""
    marked = store.next_stale(tx, BATCH)
    if not marked:
        return 0
    feeds = feeds_by_id(tx, {each.feed_id for each in marked})
    rates = _Rates(tx)
    touched: set[tuple[int, date]] = set()
    keys = {(each.feed_id, each.account, each.day) for each in marked}
    for key in sorted(keys):
        touched |= _make_again(tx, key, feeds[key[0]], rates)
    for each in marked:
        each.stale_since = None
    tx.flush()
    owners = organisations_by_number(tx, {project for project, _ in touched})
    months: dict[UUID, set[date]] = defaultdict(set)
    for project, month in touched:
        if project in owners:
            months[owners[project]].add(month)
    for owner in sorted(months):
        raise_pairs(tx, owner, sorted(months[owner]))
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
            found: dict[tuple[str, str], list[tuple[date, Decimal]]] = defaultdict(list)
            for row in rates_of(self._tx, seller):
                found[row.currency, row.into].append((row.starts_on, row.rate))
            self._of[seller] = found
        return rate_on(self._of[seller].get((currency, into), ()), day)


def _make_again(tx: Session, key: Key, feed: FeedRow, rates: _Rates) -> set[tuple[int, date]]:
    """Replace what is whose of a billing account and day; gives the projects and months that have or had any."""
    touched = store.take_out(tx, key)
    standing = store.current_set(tx, key)
    if standing is None or feed.cost_meter_id is None:
        return touched
    alike = store.alike_rows(tx, standing.id)
    start = int(datetime.combine(standing.day, time(), UTC).timestamp())
    named = {(each.resource, each.attributes, each.origin, start) for each in alike}
    owners = owners_by_rule(tx, feed.cost_meter_id, named)
    into = parse_unit(meter_rows(tx)[feed.cost_meter_id].unit).dimensions[0]
    values: list[dict[str, Any]] = []
    for each in alike:
        shares = owners.get((each.resource, each.attributes, each.origin, start), ((NOBODY, 1),))
        rate = rates.on(feed.organisation_id, each.currency, into, standing.day)
        for project, part in _divided(each, shares):
            values.append(_row(standing, len(values), project, feed.cost_meter_id, part, rate))
            touched.add((project, each.month))
    store.put_in(tx, values)
    return touched


def _divided(each: Alike, shares: Shares) -> list[tuple[int, Alike]]:
    """Rows by whose they are; divided, their costs sum to the whole, and the first has their count."""
    if len(shares) == 1:
        return [(shares[0][0], each)]
    weights = [weight for _, weight in shares]
    billed, effective = (allocate(scaled(cost, AMOUNT_PLACES), weights) for cost in (each.billed, each.effective))
    return [
        (
            project,
            replace(
                each,
                billed=unscaled(billed[place], AMOUNT_PLACES),
                effective=unscaled(effective[place], AMOUNT_PLACES),
                rows=0 if place else each.rows,
            ),
        )
        for place, (project, _) in enumerate(shares)
    ]


def _row(
    standing: CostSetRow, number: int, project: int, meter: int, each: Alike, rate: Decimal | None
) -> dict[str, Any]:
    return {
        "set_id": standing.id,
        "number": number,
        "project_number": project,
        "month": each.month,
        "day": standing.day,
        "meter_id": meter,
        "resource_id": each.resource,
        "origin_id": each.origin,
        "attribute_set_id": each.attributes,
        "category": each.category,
        "commitment": each.commitment,
        "currency": each.currency,
        "billed": each.billed,
        "effective": each.effective,
        "sold_billed": None if rate is None else converted(each.billed, rate),
        "sold_effective": None if rate is None else converted(each.effective, rate),
        "rows": each.rows,
    }
