"""What a tier would cost: expected quantities per month priced by the same rates, month by month of a term."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from zoneinfo import ZoneInfo

import numpy as np

from gradumen.core.catalogue.conditions import WEEK_HOURS, words
from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.rates import RateCardVersion, UsageRate
from gradumen.core.catalogue.services import Meter, Service
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, add, allocate, line_amount, scaled
from gradumen.core.periods import Period, day_start, months_after
from gradumen.core.rating.charges import Charge
from gradumen.core.rating.fees import day_parts, fees, true_ups
from gradumen.core.rating.groups import Groups, fitted, merged
from gradumen.core.rating.parts import Part
from gradumen.core.rating.rated_periods import discounts_of
from gradumen.core.rating.rating import Pricing, RatedLine
from gradumen.core.rating.spreads import overheads
from gradumen.core.units import convertible, smallest

MOST_MONTHS = 60


@dataclass(frozen=True, slots=True)
class Expected:
    """A quantity of a meter in a whole month, spread evenly over its hours and its days."""

    meter: Meter
    quantity: Decimal
    unit: str
    attributes: tuple[tuple[str, str], ...] = ()

    @property
    def scaled_quantity(self) -> int:
        """In millionths of the meter's base unit."""
        unit = convertible(self.unit, self.meter.unit, counted=self.meter.counted)
        whole = smallest(self.quantity, unit)
        if whole < 0:
            raise Invalid(f"quantity {self.quantity} is negative", field="quantity", value=self.quantity)
        return whole


@dataclass(frozen=True, slots=True)
class Order:
    """What is thought of: a tier of a plan, how many, from when, for how long; and what will be used."""

    plan: Plan
    tier: str
    quantity: int
    first_day: date
    months: int
    expected: tuple[Expected, ...]
    allowances: Mapping[str, Decimal]
    meters: frozenset[str]


@dataclass(frozen=True, slots=True)
class EstimatedMonth:
    """A month's charges, and their sum with each rounded as on an invoice."""

    period: Period
    charges: tuple[Charge, ...]
    total: Decimal


@dataclass(frozen=True, slots=True)
class Estimate:
    """The months of a term, and which expected meters nothing prices."""

    currency: str
    months: tuple[EstimatedMonth, ...]
    not_priced: tuple[str, ...]

    @property
    def total(self) -> Decimal:
        """The sum over the term."""
        return add([month.total for month in self.months])


def estimate(
    order: Order,
    versions: Sequence[RateCardVersion],
    zone: ZoneInfo,
    renewal: tuple[date, Sequence[RateCardVersion]] | None = None,
) -> Estimate:
    """Price an order by a card's versions; each month by those that hold then.

    Args:
        renewal: from which day on another card prices it, and that card's versions.

    Raises:
        Invalid: a quantity, term or card that cannot be priced.
    """
    if not 1 <= order.months <= MOST_MONTHS:
        raise Invalid(f"a term has 1 to {MOST_MONTHS} months; got {order.months}", field="months", value=order.months)
    if not versions:
        raise Invalid("the rate card has no version", field="rate_card")
    end = months_after(order.first_day, order.months)
    line = RatedLine(
        number=0,
        plan=order.plan.slug,
        tier=order.tier,
        start=day_start(order.first_day, zone),
        end=day_start(end, zone),
        versions=tuple(versions),
        allowances=order.allowances,
        quantity=order.quantity,
        subscription=0,
        first_day=order.first_day,
        meters=order.meters,
    )
    lines = [line]
    if renewal is not None and renewal[0] < end:
        renewed = day_start(renewal[0], zone)
        lines = [
            replace(line, end=renewed),
            replace(line, number=1, start=renewed, versions=tuple(renewal[1]), continues=True),
        ]
    months: list[EstimatedMonth] = []
    missing: dict[str, None] = {}
    weeks = _Weeks()
    period = Period(order.first_day.year, order.first_day.month)
    while period.first_day < end:
        found, unpriced = _month(lines, order.expected, period, zone, weeks)
        missing.update(dict.fromkeys(unpriced))
        rounded = [line_amount([charge.amount], versions[0].currency) for charge in found]
        months.append(EstimatedMonth(period, tuple(found), add(rounded)))
        period = period.next()
    return Estimate(versions[0].currency, tuple(months), tuple(missing))


def _month(
    lines: Sequence[RatedLine], expected: Sequence[Expected], period: Period, zone: ZoneInfo, weeks: "_Weeks"
) -> tuple[list[Charge], list[str]]:
    pricing = Pricing({line.number: line for line in lines}, {}, {}, period, zone)
    groups, unpriced = _groups(pricing, expected, weeks)
    usage = [_with_day(charge, pricing) for charge in pricing.price(groups).charges()]
    charges = [*usage, *fees(pricing)]
    charges += discounts_of(charges, pricing)
    charges += true_ups(pricing, charges)
    charges += overheads(charges)
    return charges, unpriced


def _groups(pricing: Pricing, expected: Sequence[Expected], weeks: "_Weeks") -> tuple[Groups, list[str]]:
    """Expected quantities of the month, divided over versions by seconds and over time windows by hours of a week."""
    held = [(line, version) for line in pricing.lines.values() for version in line.versions]
    spans = [pricing.service_period(line, version) for line, version in held]
    seconds = [max(0, int((end - start).total_seconds())) for start, end in spans]
    whole = int((pricing.end - pricing.start).total_seconds())
    index = {(id(at.version), at.rate.slug): number for number, at in enumerate(pricing.combiner.rates)}
    rows: list[tuple[int, int, int]] = []
    unpriced: list[str] = []
    for each in expected:
        covered = sum(seconds)
        # What lies outside the term is not used.
        in_month = each.scaled_quantity * covered // whole
        shares = allocate(in_month, seconds) if covered else ()
        for (line, version), share in zip(held, shares, strict=bool(covered)):
            for rate, part in weeks.divided(version, each, share):
                if rate is None:
                    unpriced += [] if each.meter.watched else [each.meter.slug]
                else:
                    rows.append((line.number, index[id(version), rate.slug], part))
    numbers, rates = (np.array([row[place] for row in rows], dtype=np.int64) for place in (0, 1))
    none = np.full(len(rows), -1, dtype=np.int64)
    found = fitted(np.array([row[2] for row in rows], dtype=object))
    return merged(Groups(numbers, none, rates, found)), unpriced


class _Weeks:
    """Which rates price what is expected in the course of a week, and how many hours of it each: one for all months."""

    def __init__(self) -> None:
        self._found: dict[tuple[int, int], tuple[list[UsageRate | None], list[int]]] = {}

    def divided(self, version: RateCardVersion, each: Expected, share: int) -> list[tuple[UsageRate | None, int]]:
        """A quantity divided over these rates."""
        if not share:
            return []
        key = (id(version), id(each))
        if key not in self._found:
            self._found[key] = _week(version, each)
        rates, hours = self._found[key]
        return list(zip(rates, allocate(share, hours), strict=True))


def _week(version: RateCardVersion, each: Expected) -> tuple[list[UsageRate | None], list[int]]:
    attributes = dict(each.attributes)
    if not any(rate.when and rate.meter == each.meter.slug for rate in version.usage_rates):
        return [version.usage_rate(each.meter.slug, attributes)], [WEEK_HOURS]
    hours: dict[str | None, int] = {}
    found: dict[str | None, UsageRate | None] = {}
    for hour in range(WEEK_HOURS):
        rate = version.usage_rate(each.meter.slug, attributes, hour)
        slug = rate.slug if rate else None
        found[slug] = rate
        hours[slug] = hours.get(slug, 0) + 1
    return list(found.values()), list(hours.values())


def _with_day(charge: Charge, pricing: Pricing) -> Charge:
    """A charge with parts: by day where a discount looks at days, else one."""
    if any(each.starts_on or each.ends_on for each in charge.version.discounts):
        spread = day_parts(charge.start, charge.end, charge.quantity, charge.amount, pricing.zone)
    else:
        day = charge.start.astimezone(pricing.zone).date()
        quantity, amount = scaled(charge.quantity, QUANTITY_PLACES), scaled(charge.amount, AMOUNT_PLACES)
        spread = (Part(None, None, day, quantity, amount),)
    return charge._replace(parts=spread)


@dataclass(frozen=True, slots=True)
class Coverage:
    """How a card prices a meter: ``priced``, ``not priced``, or ``only where`` the conditions of its rates hold.

    What is only ``watched`` needs no price.
    """

    meter: str
    state: str
    only_where: tuple[str, ...] = ()


def coverage(plan: Plan, services: Mapping[str, Service], version: RateCardVersion) -> list[Coverage]:
    """What of a plan's meters a version prices, before it is published."""
    found: list[Coverage] = []
    for meter in (meter for slug in plan.services for meter in services[slug].meters):
        rates = [rate for rate in version.usage_rates if rate.meter == meter.slug]
        if not rates:
            found.append(Coverage(meter.slug, "watched" if meter.watched else "not priced"))
        elif any(not rate.match and rate.when is None for rate in rates):
            found.append(Coverage(meter.slug, "priced"))
        else:
            only = tuple(words(rate.match, rate.when) for rate in rates)
            allowed = {each.slug: set(each.values) for each in services[meter.slug.partition("/")[0]].looked_at}
            found.append(Coverage(meter.slug, "priced" if _exhausts(rates, allowed) else "only where", only))
    return found


def _exhausts(rates: Sequence[UsageRate], allowed: Mapping[str, set[str]]) -> bool:
    """Whether rates with one condition each take all values of one attribute that always has a listed value."""
    for attribute, values in allowed.items():
        alone = [rate.match[0][1] for rate in rates if rate.when is None and [k for k, _ in rate.match] == [attribute]]
        if values and all(any(condition.holds(value) for condition in alone) for value in values):
            return True
    return False
