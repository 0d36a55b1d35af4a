"""What is in use of what quotas limit: of a stock the newest whole hour's mean, of a flow its sum, or a count."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.services import Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.metering.packed_days import newest_hour, unpack
from gradumen.core.metering.usage import DAY_HOURS, EPOCH_DAY
from gradumen.core.metering.uses import flowed, mean_level, running_sums
from gradumen.core.periods import EPOCH, hour_number, midnight
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Kind, Measure
from gradumen.store.metering.usage import Wanted, meter_rows, newest_days, packed_days
from gradumen.store.organisations.tables import OrganisationRow, seen_since
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.quotas import limits_over
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.limits import counted
from gradumen.usecases.metering.usage import UTC_ZONE, Span, quantities_of, seen_usage, spans_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.uses import UseBody, UseDayBody

HOUR = timedelta(hours=1)
DAY = timedelta(days=1)
WEEK = timedelta(days=7)
MOST_DAYS = 400
"""Days looked at together, at most."""


@use_case
def list_uses(tx: Session, caller: Caller, *, organisation: str) -> list[UseBody]:
    """How much of each measure an organisation and all below it use, as far as the caller sees their usage."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    meters = meters_of_measures(tx)
    levels = _Levels(tx, scope, owner.id, [id for id, each in meters.items() if each.measure and each.measure.level])
    bodies = []
    for measure in load_measures(tx).metered:
        of = {id: each for id, each in meters.items() if each.measure == measure}
        if measure.level:
            bodies.append(_body(measure, *levels.newest(measure, of)))
        else:
            bodies.append(_body(measure, _flow(tx, scope, owner.id, measure, list(of)), None))
    own = counted(tx, scope.tree, owner.id, scope.caller.at)
    return [*bodies, *(_body(measure, quantity, None) for measure, quantity in own.items())]


def meters_of_measures(tx: Session) -> dict[int, Meter]:
    """The meters that count a measure, by number."""
    published = load_published(tx)
    known = {id: published.meters[row.slug] for id, row in meter_rows(tx).items() if row.slug in published.meters}
    return {id: meter for id, meter in known.items() if meter.measure is not None}


def flow_begins(measure: Measure, today: date) -> date:
    """The first UTC day of what flows in the day or month under way."""
    return today if measure.kind is Kind.DAILY else today.replace(day=1)


def _flow(tx: Session, scope: Scope, owner: UUID, measure: Measure, meters: Collection[int]) -> Decimal | None:
    """What flowed so far in the day or month under way, in UTC; None where no meter counts it."""
    if not meters:
        return None
    today = scope.now.date()
    total = 0
    for tree, bounds in spans_of(tx, scope, midnight(flow_begins(measure, today)), midnight(today + DAY)):
        wanted = Wanted(seen_usage(tx, scope, tree, tree.below([owner])), None, meters)
        total += sum(quantity for _, _, quantity in quantities_of(tx, wanted, bounds, (), UTC_ZONE))
    return flowed(measure, [unscaled(total, QUANTITY_PLACES)])


def _body(measure: Measure, quantity: Decimal | None, hour: datetime | None) -> UseBody:
    return UseBody(measure=measure, unit=measure.unit, kind=measure.kind, quantity=quantity, hour=hour)


class _Levels:
    """The newest whole hours of the week that have usage."""

    def __init__(self, tx: Session, scope: Scope, owner: UUID, meters: Collection[int]) -> None:
        self._now = scope.now
        spans: list[Span] = list(spans_of(tx, scope, scope.now - WEEK, scope.now))
        # The latest first: who moved away counts until then, who came since.
        self._spans = [
            (bounds, self._packed(tx, Wanted(seen_usage(tx, scope, tree, tree.below([owner])), None, meters), bounds))
            for tree, bounds in reversed(spans)
        ]

    @staticmethod
    def _packed(tx: Session, wanted: Wanted, bounds: tuple[datetime, datetime]) -> Sequence[Any]:
        """Days of which some hour may be the newest whole one: the last may have only one that is not over."""
        last = bounds[1].astimezone(UTC).date()
        newest = newest_days(tx, wanted, last)
        return packed_days(tx, wanted, newest | ({last - DAY} if last in newest else set()), [])

    def newest(self, measure: Measure, meters: Mapping[int, Meter]) -> tuple[Decimal | None, datetime | None]:
        """A measure's mean over the newest whole hour that has usage of its meters, and that hour."""
        for (start, end), days in self._spans:
            rows = [row for row in days if row[0] in meters]
            packed = [(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows]
            hours = unpack(*packed).within(hour_number(start), hour_number(end))
            found = newest_hour(hours, [row[0] for row in rows], hour_number(self._now))
            if found:
                return mean_level(measure, sum(found[1].values())), EPOCH + found[0] * HOUR
        return None, None


@use_case
def list_use_days(
    tx: Session, caller: Caller, *, organisation: str, measure: str, first: date | None, end: date | None
) -> list[UseDayBody]:
    """How much of a measure was in use on each UTC day, from one until before another, beside the limit of that day.

    A stock's mean over each day that is over; what flows in a day, or so far in the month. By default the last 30 days.
    Who became the organisation's seller meanwhile sees the days since.

    Raises:
        Invalid: a measure that no meter counts, days the wrong way round, or more than 400 of them.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    wanted = load_measures(tx).ever.read(measure)
    today = scope.now.date()
    last = min(end or today + DAY, today + DAY)
    start = first or last - 30 * DAY
    _check_days(tx, wanted, start, end or last)
    if wanted.level:
        last = min(last, today)
    since = seen_since(tx, scope.members_of(), owner.id, scope.now)
    if since is not None:
        start = max(start, since.astimezone(UTC).date())
    if start >= last:
        return []
    meters = {id: each for id, each in meters_of_measures(tx).items() if each.measure == wanted}
    begins = flow_begins(wanted, start) if wanted.kind is Kind.MONTHLY else start
    used = _by_day(tx, scope, owner, meters, begins, last)
    limits = limits_over(tx, owner.id, wanted)
    days = [start + number * DAY for number in range((last - start).days)]
    amounts = dict(_amounts(wanted, used, begins, last))
    return [
        UseDayBody(
            day=day,
            quantity=amounts[day] if meters else None,
            limit=next((limit for moment, limit in limits if moment < min(midnight(day + DAY), scope.now)), None),
        )
        for day in days
    ]


def _check_days(tx: Session, measure: Measure, start: date, end: date) -> None:
    if not measure.metered:
        known = ", ".join(load_measures(tx).metered)
        raise Invalid(f"{measure} are counted, by no meter; choose one of {known}", field="measure")
    if not start < end:
        raise Invalid(f"the days from {start} until before {end} are none; turn them round", field="end", value=end)
    if (end - start).days > MOST_DAYS:
        raise Invalid(
            f"{(end - start).days} days are too many; ask for at most {MOST_DAYS}", field="first", value=start
        )


def _by_day(
    tx: Session, scope: Scope, owner: OrganisationRow, meters: Mapping[int, Meter], start: date, end: date
) -> dict[date, int]:
    """Millionths of base units by UTC day."""
    found: dict[date, int] = {}
    for tree, bounds in spans_of(tx, scope, midnight(start), midnight(end)) if meters else ():
        wanted = Wanted(seen_usage(tx, scope, tree, tree.below([owner.id])), None, list(meters))
        for _, keys, quantity in quantities_of(tx, wanted, bounds, ("day",), UTC_ZONE):
            day = date.fromisoformat(keys["day"])
            found[day] = found.get(day, 0) + quantity
    return found


def _amounts(measure: Measure, used: Mapping[date, int], start: date, end: date) -> Iterator[tuple[date, Decimal]]:
    """Each day's amount in the measure's unit."""
    days = [start + number * DAY for number in range((end - start).days)]
    if measure.level:
        yield from ((day, mean_level(measure, used.get(day, 0), DAY_HOURS)) for day in days)
        return
    quantities = [unscaled(used.get(day, 0), QUANTITY_PLACES) for day in days]
    if measure.kind is Kind.DAILY:
        yield from ((day, flowed(measure, [each])) for day, each in zip(days, quantities, strict=True))
        return
    sums = running_sums([(day.year, day.month) for day in days], quantities)
    yield from ((day, flowed(measure, [each])) for day, each in zip(days, sums, strict=True))
