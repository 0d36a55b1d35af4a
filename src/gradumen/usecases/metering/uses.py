"""What is in use of what quotas limit: of a stock the newest whole hour's mean, of a flow its sum, or a count."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from gradumen.core.catalogue.services import Meter
from gradumen.core.metering.packed_days import newest_hour, unpack
from gradumen.core.metering.uses import flowed, mean_level
from gradumen.core.periods import EPOCH, hour_number
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import MEASURES, Kind, Measure
from gradumen.store.metering.usage import Wanted, meter_rows, newest_days, packed_days, sums_of_days
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.limits import counted
from gradumen.usecases.metering.stale_usage import EPOCH_DAY
from gradumen.usecases.metering.usage import seen_usage
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.uses import UseBody

HOUR = timedelta(hours=1)
DAY = timedelta(days=1)


@use_case
def list_uses(tx: Session, caller: Caller, *, organisation: str) -> list[UseBody]:
    """How much of each measure an organisation and all below it use, as far as the caller sees their usage."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    published = load_published(tx)
    known = {id: published.meters[row.slug] for id, row in meter_rows(tx).items() if row.slug in published.meters}
    meters = {id: meter for id, meter in known.items() if meter.measure is not None}
    seen = seen_usage(tx, scope, scope.tree, scope.tree.below([owner.id]))
    days = _newest_packed(tx, Wanted(seen, None, list(meters)), scope)
    bodies = []
    for measure, measured in MEASURES.items():
        of = {id: each for id, each in meters.items() if each.measure is measure}
        if measured.kind is Kind.STOCK:
            bodies.append(_use(measure, of, days, scope))
        elif measured.kind is not Kind.COUNT:
            bodies.append(_flow(tx, measure, Wanted(seen, None, list(of)), scope))
    own = counted(tx, scope.tree, owner.id, scope.caller.at)
    return [*bodies, *(_body(measure, quantity, None) for measure, quantity in own.items())]


def _flow(tx: Session, measure: Measure, wanted: Wanted, scope: Scope) -> UseBody:
    """What flowed so far in the day or month under way, in UTC."""
    today = scope.now.date()
    first = today if MEASURES[measure].kind is Kind.DAILY else today.replace(day=1)
    if not wanted.meters:
        return _body(measure, None, None)
    sums = sums_of_days(tx, wanted, first, today, [])
    return _body(measure, flowed(measure, [quantity for _, quantity in sums]), None)


def _body(measure: Measure, quantity: Decimal | None, hour: datetime | None) -> UseBody:
    return UseBody(
        measure=measure, unit=MEASURES[measure].unit, kind=MEASURES[measure].kind, quantity=quantity, hour=hour
    )


def _newest_packed(tx: Session, wanted: Wanted, scope: Scope) -> Sequence[Any]:
    """The packed days of which some hour may be the newest whole one: today may have only the one that is not over."""
    today = scope.now.date()
    newest = newest_days(tx, wanted, today)
    return packed_days(tx, wanted, newest | ({today - DAY} if today in newest else set()), [])


def _use(measure: Measure, meters: Mapping[int, Meter], days: Sequence[Any], scope: Scope) -> UseBody:
    rows = [row for row in days if row[0] in meters]
    hours = unpack([(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows])
    newest = newest_hour(hours, [row[0] for row in rows], hour_number(scope.now))
    level = mean_level(measure, meters, newest[1]) if newest else None
    return _body(measure, level, EPOCH + newest[0] * HOUR if newest else None)
