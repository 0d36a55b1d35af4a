"""What is in use of what quotas limit, now: the mean of the newest whole hour of the meters that count it."""

from datetime import timedelta

from gradumen.core.metering.packed_days import newest_hour, unpack
from gradumen.core.metering.uses import mean_level
from gradumen.core.periods import EPOCH, hour_number
from gradumen.core.permissions import Right
from gradumen.core.quotas.quotas import MEASURE_UNITS, Measure
from gradumen.store.metering.usage import Wanted, meter_rows, newest_day, packed_days
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import EPOCH_DAY
from gradumen.usecases.metering.usage import seen_usage
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.uses import UseBody

HOUR = timedelta(hours=1)


@use_case
def list_uses(tx: Session, caller: Caller, *, organisation: str) -> list[UseBody]:
    """How much of each measure an organisation and all below it use, as far as the caller sees their usage."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    published = load_published(tx)
    tied = {id: published.meters[row.slug] for id, row in meter_rows(tx).items() if row.slug in published.meters}
    seen = seen_usage(tx, scope, scope.tree.below([owner.id]))
    found: list[UseBody] = []
    for measure in Measure:
        meters = {id: meter for id, meter in tied.items() if meter.measure is measure}
        wanted = Wanted(seen, None, list(meters))
        day = newest_day(tx, wanted, scope.now.date()) if meters else None
        rows = [] if day is None else packed_days(tx, wanted, [day], [])
        hours = unpack([(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows])
        newest = newest_hour(hours, [row[0] for row in rows], hour_number(scope.now))
        found.append(
            UseBody(
                measure=measure,
                unit=MEASURE_UNITS[measure],
                quantity=mean_level(measure, meters, newest[1]) if newest else None,
                hour=EPOCH + newest[0] * HOUR if newest else None,
            )
        )
    return found
