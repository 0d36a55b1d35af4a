"""How much of a resource was used hour by hour, looked at."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, round_half_up, unscaled
from gradumen.core.metering.packed_days import sums_by_hour, unpack
from gradumen.core.metering.usage import EPOCH_DAY, HOUR_SECONDS
from gradumen.core.periods import hour_number, hour_start, midnight
from gradumen.core.permissions import Right
from gradumen.store.metering.usage import Wanted, meter_rows, packed_days
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.spells import level_unit
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.metering.usage import UTC_ZONE, seen_usage, spans_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.loads import LoadBody, LoadPointBody, LoadsBody

MOST_DAYS = 92
DAY = timedelta(days=1)


@use_case
def list_loads(tx: Session, caller: Caller, *, organisation: str, resource: str, first: date, until: date) -> LoadsBody:
    """What is used of a resource by an organisation, and all below, in each hour of some days of UTC, by meter.

    Raises:
        Invalid: there is no such day, or there are too many.
    """
    if not 0 < (until - first).days <= MOST_DAYS:
        told = f"from {first} up to {until} are no 1 to {MOST_DAYS} days; choose another day for either"
        raise Invalid(told, field="until", value=until.isoformat(), limit=MOST_DAYS)
    scope, current = load_scope(tx, caller), usage_as_of(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    by_meter: dict[int, dict[int, int]] = defaultdict(lambda: defaultdict(int))
    for tree, bounds in spans_of(tx, scope, midnight(first), midnight(until)):
        wanted = Wanted(seen_usage(tx, scope, tree, tree.below([owner.id])), None, None, resource)
        _add(tx, wanted, bounds, by_meter)
    published, meters = load_published(tx), meter_rows(tx)
    items = [
        _item(published.meters[slug], meter_name(slug, published), hours)
        for slug, hours in sorted((meters[number].slug, hours) for number, hours in by_meter.items())
    ]
    return LoadsBody(
        organisation=organisation,
        resource=resource,
        first=first,
        until=until,
        items=items,
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _add(tx: Session, wanted: Wanted, bounds: tuple[datetime, datetime], by_meter: dict[int, dict[int, int]]) -> None:
    """Add what is wanted of a span of time, by meter and hour."""
    start, end = (bound.astimezone(UTC) for bound in bounds)
    last = (end - timedelta.resolution).date()
    days = [start.date() + DAY * number for number in range((last - start.date()).days + 1)]
    rows = packed_days(tx, wanted, days, ())
    if not rows:
        return
    packed = [(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows]
    inside = unpack(*packed, UTC_ZONE).within(hour_number(start, UTC_ZONE), hour_number(end, UTC_ZONE))
    for meter, hour, quantity in sums_by_hour(inside, [row[0] for row in rows]):
        by_meter[meter][hour] += quantity


def _item(meter: Meter, name: str, hours: Mapping[int, int]) -> LoadBody:
    is_level = meter.combine is not Combine.SUM
    # A level counts level x seconds.
    seconds = HOUR_SECONDS if is_level else 1
    return LoadBody(
        meter=meter.slug,
        meter_name=name,
        unit=level_unit(meter) if is_level else meter.unit.text,
        is_level=is_level,
        watched=meter.watched,
        highest=_of(max(hours.values()), seconds),
        mean=_of(sum(hours.values()), seconds * len(hours)),
        points=[LoadPointBody(at=hour_start(hour), quantity=_of(hours[hour], seconds)) for hour in sorted(hours)],
    )


def _of(millionths: int, parts: int) -> Decimal:
    """A part of a quantity, to six places, half up."""
    if parts == 1:
        return unscaled(millionths, QUANTITY_PLACES)
    return round_half_up(Fraction(millionths, parts * 10**QUANTITY_PLACES), QUANTITY_PLACES)
