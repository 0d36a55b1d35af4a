"""Rates and rate cards: what an entry matches and how it prices."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from itertools import combinations, pairwise

from gradumen.core.errors import Invalid
from gradumen.core.exact import minor_units
from gradumen.core.units import Unit

Attributes = Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Block:
    """A price per unit up to a quantity (in that unit) since the period's start; ``upto`` None has no end."""

    upto: Decimal | None
    price: Decimal


@dataclass(frozen=True, slots=True)
class Blocks:
    """Blocks that leave no quantity unpriced: ascending from zero, and only the last without end."""

    steps: tuple[Block, ...]

    def __post_init__(self) -> None:
        *bounded, last = (Decimal(0), *(step.upto for step in self.steps))
        ascending = all(low is not None and high is not None and low < high for low, high in pairwise(bounded))
        if len(self.steps) < 1 or last is not None or not ascending:
            raise Invalid("blocks must ascend from zero and only the last has no end", field="blocks")
        for step in self.steps:
            _not_negative(step.price)


@dataclass(frozen=True, slots=True)
class UsageRate:
    """A rate on a meter: one price per unit is a single block without end, several blocks are graduated.

    Blocks cumulate over the billing period, per subscription, across versions of the card.
    """

    slug: str
    meter: str
    unit: Unit
    blocks: Blocks
    match: tuple[tuple[str, str], ...] = ()

    @property
    def kind(self) -> str:
        """``per_unit`` or ``graduated``."""
        return "per_unit" if len(self.blocks.steps) == 1 else "graduated"

    def matches(self, meter: str, attributes: Attributes) -> bool:
        """Whether usage of that meter with those attributes is priced by this rate."""
        return meter == self.meter and all(attributes.get(key) == value for key, value in self.match)


@dataclass(frozen=True, slots=True)
class RecurringRate:
    """A fee per month and piece of a plan's tier, prorated by the seconds of the real period that it covers."""

    slug: str
    plan: str
    tier: str
    price: Decimal

    kind = "recurring"

    def __post_init__(self) -> None:
        _not_negative(self.price)


Rate = UsageRate | RecurringRate


@dataclass(frozen=True, slots=True)
class RateCardVersion:
    """A seller's prices from a day on (in the seller's billing zone), until the next version begins."""

    card: str
    number: int
    currency: str
    starts_on: date
    rates: tuple[Rate, ...]

    def __post_init__(self) -> None:
        minor_units(self.currency)
        slugs = [rate.slug for rate in self.rates]
        for slug in slugs:
            if slugs.count(slug) > 1:
                raise Invalid(f"rate '{slug}' stands twice; give each its own slug", field="rates", value=slug)
        tie = find_tie(self.rates)
        if tie:
            raise Invalid(f"rates '{tie[0]}' and '{tie[1]}' {tie[2]}", field="rates", value=tie[1])

    def usage_rate(self, meter: str, attributes: Attributes) -> UsageRate | None:
        """The most specific rate: the one with the most conditions, of which publication allows only one."""
        found = [rate for rate in self.rates if isinstance(rate, UsageRate) and rate.matches(meter, attributes)]
        return max(found, key=lambda rate: len(rate.match), default=None)

    def fee(self, plan: str, tier: str) -> RecurringRate | None:
        """The recurring rate of a plan's tier."""
        for rate in self.rates:
            if isinstance(rate, RecurringRate) and (rate.plan, rate.tier) == (plan, tier):
                return rate
        return None


def find_tie(rates: Iterable[Rate]) -> tuple[str, str, str] | None:
    """Find two rates of which neither wins: equally many conditions that one set of attributes can fulfil."""
    usage: dict[tuple[str, int], list[UsageRate]] = {}
    fees: dict[tuple[str, str], str] = {}
    for rate in rates:
        if isinstance(rate, UsageRate):
            usage.setdefault((rate.meter, len(rate.match)), []).append(rate)
        elif (rate.plan, rate.tier) in fees:
            return fees[rate.plan, rate.tier], rate.slug, f"are both the fee of {rate.plan}/{rate.tier}; keep one"
        else:
            fees[rate.plan, rate.tier] = rate.slug
    for same in usage.values():
        for left, right in combinations(same, 2):
            wanted = dict(left.match)
            if all(wanted.get(key, value) == value for key, value in right.match):
                return left.slug, right.slug, "can match the same usage with equally many conditions; add one"
    return None


@dataclass(frozen=True, slots=True)
class PricedBlock:
    """One step of the arithmetic: so much quantity (base units) in a block at a price per pricing unit."""

    from_quantity: Decimal
    quantity: Decimal
    price: Decimal
    amount: Fraction


def price_usage(rate: UsageRate, before: Decimal, quantity: Decimal) -> tuple[PricedBlock, ...]:
    """Price a quantity that follows on ``before`` in the same period, block by block, exactly.

    Args:
        rate: its blocks count in ``rate.unit``.
        before: already priced in this period, in base units; >= 0.
        quantity: in base units; >= 0.

    Returns:
        The blocks touched; their exact amounts are in the card's currency, rounding is the caller's.

    >>> from gradumen.core.units import parse_unit
    >>> steps = Blocks((Block(Decimal(400), Decimal("0.02")), Block(None, Decimal("0.01"))))
    >>> rate = UsageRate("calls", "api/calls", parse_unit("request"), steps)
    >>> sum(block.amount for block in price_usage(rate, Decimal(0), Decimal(415)))
    Fraction(163, 20)
    """
    if before < 0 or quantity < 0:
        raise Invalid("a priced quantity is never negative", field="quantity", value=quantity)
    priced: list[PricedBlock] = []
    low = Fraction(0)
    start, end = Fraction(before), Fraction(before) + Fraction(quantity)
    for step in rate.blocks.steps:
        high = None if step.upto is None else Fraction(step.upto) * rate.unit.factor
        inside_from, inside_to = max(start, low), end if high is None else min(end, high)
        if inside_to > inside_from:
            inside = inside_to - inside_from
            amount = inside * Fraction(step.price) / rate.unit.factor
            priced.append(PricedBlock(_plain(inside_from), _plain(inside), step.price, amount))
        if high is None or end <= high:
            break
        low = high
    return tuple(priced)


def _plain(value: Fraction) -> Decimal:
    """A base-unit quantity as a decimal; block ends are whole 1e-6 of base units, which `UsageRate` files check."""
    whole, lost = divmod(value.numerator * 10**6, value.denominator)
    if lost:
        raise Invalid("a block ends inside the smallest quantity; use a rounder end", field="blocks")
    return Decimal(whole).scaleb(-6)


def _not_negative(price: Decimal) -> None:
    if price < 0:
        raise Invalid(f"price {price} is negative; only discounts lower a price", field="price", value=price)
