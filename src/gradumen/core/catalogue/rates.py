"""Rates and rate cards: what an entry matches and how it prices (`docs/rating.md` has each kind's arithmetic)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from math import lcm

from gradumen.core.catalogue.conditions import Attributes, Conditions, Matcher, TimeWindow
from gradumen.core.catalogue.discounts import Discount
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, minor_units
from gradumen.core.units import Unit, smallest

MICRO = 10**QUANTITY_PLACES
PICO = 10**AMOUNT_PLACES


class Over(StrEnum):
    """Over what a rate cumulates within a billing period."""

    SUBSCRIPTION = "subscription"
    PROJECT = "project"
    BUYER = "buyer"
    TENANT = "tenant"


class Started(StrEnum):
    """A step of time that is charged whole once it has started."""

    SECOND = "second"
    MINUTE = "minute"
    HOUR = "hour"

    @property
    def seconds(self) -> int:
        """Its length."""
        return {Started.SECOND: 1, Started.MINUTE: 60, Started.HOUR: 3600}[self]


@dataclass(frozen=True, slots=True)
class Block:
    """A price per unit up to and including a quantity (in that unit); ``to`` None has no end."""

    to: Decimal | None
    price: Decimal


@dataclass(frozen=True, slots=True)
class Blocks:
    """Blocks that leave no quantity unpriced: ascending from zero, and only the last without end.

    ``whole`` prices the whole quantity of the period at the price of the block that it reaches; else each block's
    share has that block's price. One block without end is a price per unit.
    """

    steps: tuple[Block, ...]
    whole: bool = False

    def __post_init__(self) -> None:
        *bounded, last = (Decimal(0), *(step.to for step in self.steps))
        ascending = all(low is not None and high is not None and low < high for low, high in pairwise(bounded))
        if len(self.steps) < 1 or last is not None or not ascending:
            raise Invalid("blocks must ascend from zero and only the last has no end", field="blocks")
        for step in self.steps:
            _not_negative(step.price)


@dataclass(frozen=True, slots=True)
class Lots:
    """A price per lot of ``size`` (in the rate's unit); a lot begun is charged whole."""

    size: Decimal
    price: Decimal

    def __post_init__(self) -> None:
        _not_negative(self.price)
        if self.size <= 0:
            raise Invalid(f"a lot of {self.size} is empty; give a size above 0", field="lot", value=self.size)


class Basis(StrEnum):
    """Which of the costs that a supplier states is sold."""

    BILLED = "billed"
    """What its invoice says."""
    EFFECTIVE = "effective"
    """What is left when what was paid in advance is spread over its use."""


@dataclass(frozen=True, slots=True)
class Markup:
    """A percentage on top of an imported cost, and a fixed amount once per period where there is any cost."""

    percent: Decimal
    fixed: Decimal = Decimal(0)
    of: Basis = Basis.BILLED

    def __post_init__(self) -> None:
        _not_negative(self.percent)
        _not_negative(self.fixed)

    @property
    def price(self) -> Decimal:
        """What one unit of cost becomes."""
        return Decimal(1) + self.percent.scaleb(-2)


@dataclass(frozen=True, slots=True)
class Steps:
    """A rate's prices in whole numbers: a quantity in millionths of base units x ``prices`` / ``divisor`` is 1e-12.

    ``ends`` are those of blocks, or the one size of lots, in millionths of base units.
    """

    ends: tuple[int, ...]
    prices: tuple[int, ...]
    divisor: int


@dataclass(frozen=True)
class UsageRate:
    """A rate on a meter.

    ``allowance`` (per period and scope), ``committed`` (priced at least, used or not) count in ``unit``; ``minimum``
    and ``cap`` are amounts per period and scope where there is usage. ``started`` charges steps of time that have begun
    while a resource was as ``match`` says. All cumulate over the billing period, ``over`` says per what, across
    versions.
    """

    slug: str
    meter: str
    unit: Unit
    pricing: Blocks | Lots | Markup
    match: Conditions = ()
    when: TimeWindow | None = None
    over: Over = Over.SUBSCRIPTION
    allowance: Decimal = Decimal(0)
    committed: Decimal = Decimal(0)
    minimum: Decimal = Decimal(0)
    cap: Decimal | None = None
    started: Started | None = None

    def __post_init__(self) -> None:
        for amount in (self.minimum, self.cap or Decimal(0), self.allowance, self.committed):
            _not_negative(amount)
        if self.cap is not None and self.cap < self.minimum:
            raise Invalid(f"cap {self.cap} is below minimum {self.minimum}", field="cap", value=self.cap)
        if self.committed and self.over is Over.PROJECT:
            raise Invalid("a commitment is over subscription, buyer or tenant, not per project", field="over")
        if self.started and self.when:
            raise Invalid("a rate per started time has no time window; started time knows no gaps", field="when")
        _ = self.steps, self.scaled_allowance, self.scaled_committed

    @cached_property
    def kind(self) -> str:
        """How it prices, in one word."""
        if self.started:
            return f"started_{self.started}"
        if self.meter.startswith(PROMISED):
            return "allocation"
        match self.pricing:
            case Lots():
                return "lots"
            case Markup():
                return "markup"
            case Blocks(steps, whole):
                return "per_unit" if len(steps) == 1 else "at_reached_step" if whole else "stepped"

    @cached_property
    def steps(self) -> Steps:
        """Its prices in whole numbers."""
        match self.pricing:
            case Blocks(steps):
                ends = tuple(self.scaled_quantity(step.to, "blocks") for step in steps if step.to is not None)
                prices = [Fraction(step.price) * PICO / (self.unit.factor * MICRO) for step in steps]
            case Lots(size, price):
                ends = (self.scaled_quantity(size, "lot"),)
                prices = [Fraction(price) * PICO]
            case Markup():
                ends = ()
                prices = [Fraction(self.pricing.price) * PICO / (self.unit.factor * MICRO)]
        divisor = lcm(*(price.denominator for price in prices))
        return Steps(ends, tuple(int(price * divisor) for price in prices), divisor)

    @cached_property
    def scaled_allowance(self) -> int:
        """The allowance in millionths of base units."""
        return self.scaled_quantity(self.allowance, "allowance")

    @cached_property
    def scaled_committed(self) -> int:
        """The committed quantity in millionths of base units."""
        return self.scaled_quantity(self.committed, "committed")

    def scaled_quantity(self, quantity: Decimal, field: str) -> int:
        """A quantity in the rate's unit as millionths of base units."""
        return smallest(quantity, self.unit, field=field)

    def matches(self, meter: str, attributes: Attributes) -> bool:
        """Whether its conditions hold for usage of that meter with those attributes."""
        return meter == self.meter and all(
            key in attributes and condition.holds(attributes[key]) for key, condition in self.match
        )


PROMISED = "promised/"
"""Meters of what quotas promise are named by their measure after this."""


class Every(StrEnum):
    """How often a fee is charged."""

    ONCE = "once"
    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"

    @property
    def months(self) -> int:
        """The length of its term in months; 0 for once."""
        return {Every.ONCE: 0, Every.MONTH: 1, Every.QUARTER: 3, Every.YEAR: 12}[self]


@dataclass(frozen=True, slots=True)
class RecurringRate:
    """A fee per piece of a plan's tier: once at the start, or per term and prorated by the seconds that it covers.

    A month is the billing period; quarters and years count from the subscription's first day. A term belongs to the
    period in which it ends, with ``advance`` to that in which it starts; the bill run before charges it then.
    """

    slug: str
    plan: str
    tier: str
    price: Decimal
    every: Every = Every.MONTH
    advance: bool = False

    def __post_init__(self) -> None:
        _not_negative(self.price)

    @property
    def kind(self) -> str:
        """``recurring`` or ``one_off``."""
        return "one_off" if self.every is Every.ONCE else "recurring"


@dataclass(frozen=True, slots=True)
class SpendCommitment:
    """A spend per month that is charged at least: the difference to what its services come to is trued up.

    Prorated by the seconds that the scope's subscriptions cover. No ``services`` means all.
    """

    slug: str
    amount: Decimal
    services: tuple[str, ...] = ()
    over: Over = Over.BUYER

    kind = "commitment"

    def __post_init__(self) -> None:
        _not_negative(self.amount)
        if self.over is Over.PROJECT:
            message = "a minimum spend counts over subscription, buyer or tenant: fees belong to no project"
            raise Invalid(message, field="over", value=str(self.over))


@dataclass(frozen=True, slots=True)
class SpreadRate:
    """A fixed cost per month, spread over the lines of its card in proportion to what they use of the meter ``by``."""

    slug: str
    amount: Decimal
    by: str

    kind = "spread"

    def __post_init__(self) -> None:
        _not_negative(self.amount)


Rate = UsageRate | RecurringRate | SpendCommitment | SpreadRate


class Composites(StrEnum):
    """As what a resource that is made of others is charged: never as both."""

    WHOLE = "whole"
    COMPONENTS = "components"


@dataclass(frozen=True)
class RateCardVersion:
    """A seller's prices from a day on (in the seller's billing zone), until the next version begins.

    ``overhead`` is a percentage on top of all that a line is charged. ``composites`` are charged as it says, see
    `gradumen.core.rating.composites`.
    """

    card: str
    number: int
    currency: str
    starts_on: date
    rates: tuple[Rate, ...]
    discounts: tuple[Discount, ...] = ()
    overhead: Decimal = Decimal(0)
    composites: Composites = Composites.WHOLE

    def __post_init__(self) -> None:
        minor_units(self.currency)
        _not_negative(self.overhead)
        seen: set[str] = {"overhead"} if self.overhead else set()
        for slug in (each.slug for each in (*self.rates, *self.discounts)):
            if slug in seen:
                raise Invalid(f"rate '{slug}' stands twice; give each its own slug", field="rates", value=slug)
            seen.add(slug)
        tie = find_tie(self.rates)
        if tie:
            raise Invalid(f"rates '{tie[0]}' and '{tie[1]}' {tie[2]}", field="rates", value=tie[1])

    @cached_property
    def usage_rates(self) -> tuple[UsageRate, ...]:
        """Its rates on meters."""
        return tuple(rate for rate in self.rates if isinstance(rate, UsageRate))

    @cached_property
    def matcher(self) -> Matcher:
        """Its rates on meters, compiled."""
        return Matcher(self.usage_rates)

    @cached_property
    def positions(self) -> Mapping[str, int]:
        """Where each rate stands in the card."""
        return {rate.slug: index for index, rate in enumerate(self.rates)}

    def usage_rate(self, meter: str, attributes: Attributes, week_hour: int = 0) -> UsageRate | None:
        """The rate that prices usage of a meter in an hour of the week (of the seller's zone)."""
        index = self.matcher.find(meter, attributes, week_hour)
        return None if index is None else self.usage_rates[index]

    @property
    def months_in_advance(self) -> int:
        """The longest term that a fee is charged for in advance, in months; 0 without such a fee."""
        fees = (rate for rate in self.rates if isinstance(rate, RecurringRate) and rate.advance)
        return max((fee.every.months for fee in fees), default=0)

    def fees(self, plan: str, tier: str) -> list[RecurringRate]:
        """The fees of a plan's tier."""
        fees = [rate for rate in self.rates if isinstance(rate, RecurringRate)]
        return [fee for fee in fees if (fee.plan, fee.tier) == (plan, tier)]


def find_tie(rates: Iterable[Rate]) -> tuple[str, str, str] | None:
    """Find two rates of which neither wins: alike in specificity, and some usage fulfils both."""
    usage: list[UsageRate] = []
    fees: dict[tuple[str, str, Every], str] = {}
    for rate in rates:
        if isinstance(rate, UsageRate):
            usage.append(rate)
        elif isinstance(rate, RecurringRate):
            key = (rate.plan, rate.tier, rate.every)
            if key in fees:
                return fees[key], rate.slug, f"are both the fee of {rate.plan}/{rate.tier} per {rate.every}; keep one"
            fees[key] = rate.slug
    tie = Matcher(usage).tie()
    if tie is None:
        return None
    return (
        usage[tie[0]].slug,
        usage[tie[1]].slug,
        "can match the same usage and neither is more specific; add a condition to one",
    )


def _not_negative(price: Decimal) -> None:
    if price < 0:
        raise Invalid(f"price {price} is negative; only discounts lower a price", field="price", value=price)
