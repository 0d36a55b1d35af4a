"""Imported costs priced: a percentage on top of what a supplier's files say, in the period that they name."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from fractions import Fraction

import polars as pl

from gradumen.core.catalogue.rates import Basis, Markup, Over, UsageRate
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, divide_half_up, scaled, unscaled
from gradumen.core.metering.imported_costs import rate_in_force
from gradumen.core.periods import hour_start
from gradumen.core.rating.charges import Adjustment, Charge, Unpriced
from gradumen.core.rating.combining import RateAt
from gradumen.core.rating.parts import Part
from gradumen.core.rating.rating import Pricing

KINDS = {Basis.BILLED: "imported_cost", Basis.EFFECTIVE: "effective_cost"}
"""What a charge is of."""
COST_SCHEMA = {
    "line": pl.Int32,
    "meter": pl.Int32,
    "attributes": pl.Int32,
    "project": pl.Int32,
    "resource": pl.Int32,
    "hour": pl.Int32,
    "commitment": pl.Boolean,
    "billed": pl.Int128,
    "effective": pl.Int128,
    "sold": pl.Boolean,
    "estimated": pl.Boolean,
}
"""Costs as rating takes them: in 10**-12 of the currency of their meter, of either sign, never spread over hours.

That are millionths of the meter's base unit, the millionth of a currency.

``hour`` is the first of the day on which the charge began, inside the period; ``commitment`` says that it buys one;
not ``sold`` is what no exchange rate puts into that currency, whose costs are as they came; ``estimated`` is what no
file states yet.
"""
Place = tuple[int, int, date]
"""Project, resource and day."""


def imported_costs(costs: pl.DataFrame, pricing: Pricing) -> tuple[list[Charge], list[Unpriced]]:
    """Price the costs of a period's lines; and those that nothing prices.

    A plain markup prices them, of billed or effective cost; what buys a commitment only of billed cost, since effective
    cost has it where it is used (FOCUS, EffectiveCost). With 12 % on top of 10.05 and a credit of -3 a line pays
    (10.05 - 3) x 1.12. A card in another currency than the meter's prices what costs are worth there on their day, each
    resource's of a day to 12 places, half up.

    Args:
        costs: see `COST_SCHEMA`.
    """
    if not costs.height:
        return [], []
    rated = costs.with_columns(pl.Series("rate", pricing.combiner.rates_of(costs)))
    days = {hour: _day(hour, pricing) for hour in rated["hour"].unique().to_list()}
    places: dict[tuple[int, int], dict[Place, int]] = defaultdict(lambda: defaultdict(int))
    estimated: dict[tuple[int, int], dict[Place, int]] = defaultdict(lambda: defaultdict(int))
    sets: dict[tuple[int, int], set[int]] = defaultdict(set)
    missing: dict[tuple[int, int, int, int, int], int] = defaultdict(int)
    for row in rated.iter_rows(named=True):
        at = pricing.combiner.rates[row["rate"]] if row["rate"] >= 0 else None
        day = days[row["hour"]]
        if at is None or not row["sold"] or not is_plain(at.rate) or _worth(pricing, at, day) is None:
            missing[row["line"], row["meter"], row["attributes"], row["project"], row["resource"]] += row["billed"]
            continue
        cost = _base(at.rate, row["billed"], row["effective"], commitment=row["commitment"])
        if cost:
            key = row["line"], row["rate"]
            place = row["project"], row["resource"], day
            places[key][place] += cost
            if row["estimated"]:
                estimated[key][place] += cost
            sets[key].add(row["attributes"])
    started: set[tuple[int, int]] = set()
    charges = []
    for line, rate in sorted(places):
        at = pricing.combiner.rates[rate]
        scope = pricing.lines[line].scope, at.series
        key = line, rate
        charges.append(
            _charge(pricing, line, at, places[key], estimated[key], sorted(sets[key]), first=scope not in started)
        )
        started.add(scope)
    left = [
        Unpriced(line, pricing.meters[meter], attributes, project, resource, unscaled(cost, QUANTITY_PLACES))
        for (line, meter, attributes, project, resource), cost in sorted(missing.items())
    ]
    return charges, left


def is_exchanged(at: RateAt) -> bool:
    """Whether a rate marks up a cost in another currency than its card's."""
    return isinstance(at.rate.pricing, Markup) and at.rate.unit.dimensions != (at.version.currency,)


def _worth(pricing: Pricing, at: RateAt, day: date) -> tuple[date, Decimal] | None:
    """What a unit of a cost's currency is worth on a day in that of its card, and since when; None: nobody says."""
    if not is_exchanged(at):
        return date.min, Decimal(1)
    [currency] = at.rate.unit.dimensions
    return rate_in_force(pricing.exchange.get((currency, at.version.currency), ()), day)


def is_plain(rate: UsageRate) -> bool:
    """Whether a rate prices imported cost: a markup and nothing that bounds, frees or times it, which needs a quantity.

    What another rate would price is listed as not priced, never priced otherwise than it says.
    """
    bounds = (rate.allowance, rate.committed, rate.minimum)
    plain = not any(bounds) and rate.cap is None and rate.when is None and rate.over is Over.SUBSCRIPTION
    return isinstance(rate.pricing, Markup) and plain


def _base(rate: UsageRate, billed: int, effective: int, *, commitment: bool) -> int:
    if isinstance(rate.pricing, Markup) and rate.pricing.of is Basis.EFFECTIVE:
        return 0 if commitment else effective
    return billed


def _day(hour: int, pricing: Pricing) -> date:
    return hour_start(hour, pricing.zone).astimezone(pricing.zone).date()


def _charge(
    pricing: Pricing,
    number: int,
    at: RateAt,
    places: dict[Place, int],
    estimated: dict[Place, int],
    attributes: Sequence[int],
    *,
    first: bool,
) -> Charge:
    """The charge of a line and rate; a fixed amount is on its first line of the period, and no estimate."""
    markup, line = at.rate.pricing, pricing.lines[number]
    assert isinstance(markup, Markup)
    base = sum(places.values())
    rates = {day: rate for _, _, day in places if (rate := _worth(pricing, at, day)) is not None}
    worth = {place: _exchanged(cost, rates[place[2]][1]) for place, cost in places.items()}
    exact = sum(worth.values()) * Fraction(markup.price)
    guessed = sum(_exchanged(cost, rates[place[2]][1]) for place, cost in estimated.items()) * Fraction(markup.price)
    fixed = scaled(markup.fixed, AMOUNT_PLACES) if first else 0
    whole = divide_half_up(exact.numerator, exact.denominator)
    keys = sorted(places)
    shares = split(whole, [worth[key] for key in keys], Fraction(markup.price))
    shares[0] += fixed
    start, end = pricing.service_period(line, at.version)
    return Charge(
        line=number,
        kind=KINDS[markup.of],
        rate=at.rate.slug,
        version=at.version,
        meter=at.rate.meter,
        unit=at.rate.unit.text,
        quantity=unscaled(base, QUANTITY_PLACES),
        covered=Decimal(0),
        before=unscaled(sum(worth.values()), AMOUNT_PLACES),
        blocks=(),
        adjustments=(Adjustment("fixed", unscaled(fixed, AMOUNT_PLACES)),) if fixed else (),
        amount=unscaled(whole + fixed, AMOUNT_PLACES),
        start=start,
        end=end,
        attributes=tuple(attributes),
        exchange=tuple(sorted(set(rates.values()))) if is_exchanged(at) else (),
        estimated=unscaled(divide_half_up(guessed.numerator, guessed.denominator), AMOUNT_PLACES),
        parts=tuple(
            Part(project, resource, day, places[project, resource, day], share)
            for (project, resource, day), share in zip(keys, shares, strict=True)
        ),
    )


def _exchanged(cost: int, rate: Decimal) -> int:
    """A cost in 10**-12 in another currency, half up."""
    exact = cost * Fraction(rate)
    return divide_half_up(exact.numerator, exact.denominator)


def split(whole: int, costs: Sequence[int], price: Fraction) -> list[int]:
    """Shares of costs of either sign that add up to the whole: each to the nearest, what is left from the largest on.

    >>> split(-2, [3, -4], Fraction(1)), split(1, [1, 1, -1], Fraction(4, 3))
    ([3, -5], [1, 1, -1])
    """
    exact = [cost * price for cost in costs]
    shares = [divide_half_up(each.numerator, each.denominator) for each in exact]
    left = whole - sum(shares)
    step = 1 if left > 0 else -1
    order = sorted(range(len(costs)), key=lambda place: (-abs(costs[place]), place))
    for turn in range(abs(left)):
        shares[order[turn % len(order)]] += step
    return shares
