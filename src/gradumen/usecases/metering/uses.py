"""What is in use of what quotas limit, now: the mean of the newest whole hour of the meters that count it."""

from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any

from gradumen.core.catalogue.services import Meter
from gradumen.core.metering.packed_days import newest_hour, unpack
from gradumen.core.metering.uses import mean_level
from gradumen.core.periods import EPOCH, hour_number
from gradumen.core.permissions import Right
from gradumen.core.quotas.quotas import MEASURE_UNITS, Measure
from gradumen.store.metering.usage import Wanted, meter_rows, newest_days, packed_days
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
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
    days = _newest_packed(tx, Wanted(seen_usage(tx, scope, scope.tree.below([owner.id])), None, list(meters)), scope)
    return [
        _use(measure, {id: each for id, each in meters.items() if each.measure is measure}, days, scope)
        for measure in Measure
    ]


def _newest_packed(tx: Session, wanted: Wanted, scope: Scope) -> Sequence[Any]:
    """The packed days of which some hour may be the newest whole one: today may have only the one that is not over."""
    today = scope.now.date()
    newest = newest_days(tx, wanted, today)
    return packed_days(tx, wanted, newest | ({today - DAY} if today in newest else set()), [])


def _use(measure: Measure, meters: Mapping[int, Meter], days: Sequence[Any], scope: Scope) -> UseBody:
    rows = [row for row in days if row[0] in meters]
    hours = unpack([(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows])
    newest = newest_hour(hours, [row[0] for row in rows], hour_number(scope.now))
    return UseBody(
        measure=measure,
        unit=MEASURE_UNITS[measure],
        quantity=mean_level(measure, meters, newest[1]) if newest else None,
        hour=EPOCH + newest[0] * HOUR if newest else None,
    )
