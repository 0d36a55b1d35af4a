"""Rates and rate cards: what an entry matches and how it prices."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from fractions import Fraction
from itertools import combinations, pairwise

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, divide_half_up, minor_units, scaled, unscaled
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
    scaled_steps: tuple[tuple[int | None, int], ...] = field(init=False, repr=False, compare=False)
    """Ends in millionths of base units and prices in 1e-12 of the currency, for arithmetic in whole numbers."""

    def __post_init__(self) -> None:
        steps = tuple(
            (_scaled_end(step.upto, self.unit), scaled(step.price, AMOUNT_PLACES)) for step in self.blocks.steps
        )
        object.__setattr__(self, "scaled_steps", steps)

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
    """One step of the arithmetic: so much quantity in a block at a price per pricing unit.

    ``start`` and ``size`` are in millionths of base units; ``factor`` is base units per pricing unit.
    """

    start: int
    size: int
    price: Decimal
    factor: Fraction

    @property
    def from_quantity(self) -> Decimal:
        """Where the block's share begins, in base units."""
        return unscaled(self.start, QUANTITY_PLACES)

    @property
    def quantity(self) -> Decimal:
        """How much of the quantity is in the block, in base units."""
        return unscaled(self.size, QUANTITY_PLACES)

    @property
    def amount(self) -> Fraction:
        """The exact amount, in the card's currency."""
        return Fraction(self.size, 10**QUANTITY_PLACES) * Fraction(self.price) / self.factor


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
    return price_scaled(rate, scaled(before, QUANTITY_PLACES), scaled(quantity, QUANTITY_PLACES))


def price_scaled(rate: UsageRate, before: int, quantity: int) -> tuple[PricedBlock, ...]:
    """As `price_usage`, in millionths of base units."""
    if before < 0 or quantity < 0:
        raise Invalid("a priced quantity is never negative", field="quantity", value=quantity)
    priced: list[PricedBlock] = []
    low, end = 0, before + quantity
    for (high, _), step in zip(rate.scaled_steps, rate.blocks.steps, strict=True):
        inside_from = max(before, low)
        inside_to = end if high is None else min(end, high)
        if inside_to > inside_from:
            priced.append(PricedBlock(inside_from, inside_to - inside_from, step.price, rate.unit.factor))
        if high is None or end <= high:
            break
        low = high
    return tuple(priced)


def rounded_amount(blocks: Sequence[PricedBlock]) -> Decimal:
    """The sum of blocks of one rate, rounded once to 12 places."""
    if not blocks:
        return Decimal(0)
    factor = blocks[0].factor
    top = sum(block.size * scaled(block.price, AMOUNT_PLACES) for block in blocks) * factor.denominator
    return unscaled(divide_half_up(top, factor.numerator * 10**QUANTITY_PLACES), AMOUNT_PLACES)


def _scaled_end(upto: Decimal | None, unit: Unit) -> int | None:
    """A block's end in millionths of base units."""
    if upto is None:
        return None
    whole, lost = divmod(scaled(upto, QUANTITY_PLACES) * unit.factor.numerator, unit.factor.denominator)
    if lost:
        raise Invalid("a block ends inside the smallest quantity; use a rounder end", field="blocks")
    return whole


def _not_negative(price: Decimal) -> None:
    if price < 0:
        raise Invalid(f"price {price} is negative; only discounts lower a price", field="price", value=price)
