"""Derived rate cards: the rates of a base card with a percentage or amount on top, rounded to nice prices."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from gradumen.core.catalogue.rates import (
    Block,
    Blocks,
    Lots,
    Markup,
    Rate,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    UsageRate,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import round_half_up


@dataclass(frozen=True, slots=True)
class OnTop:
    """What is put on a base price: a percentage (below 0 takes off), or an amount per unit."""

    percent: Decimal = Decimal(0)
    amount: Decimal = Decimal(0)

    def __post_init__(self) -> None:
        if self.percent <= -100:
            raise Invalid(f"percent {self.percent} must be above -100", field="percent", value=self.percent)

    def of(self, price: Decimal, step: Decimal) -> Decimal:
        """The price with this on top, rounded half up to a multiple of ``step``; never below zero.

        >>> OnTop(percent=Decimal(20)).of(Decimal("0.0104"), Decimal("0.001"))
        Decimal('0.012')
        """
        exact = Fraction(price) * (1 + Fraction(self.percent) / 100) + Fraction(self.amount)
        steps = round_half_up(max(exact, Fraction(0)) / Fraction(step), 0)
        return Decimal(steps) * step


@dataclass(frozen=True, slots=True)
class Derivation:
    """How a card follows another: ``seller`` and ``card`` of the base, what is on top, and the price step.

    The most special applies: that of the rate, else of its service, else ``on_top``. A version that follows starts
    at least ``notice_days`` after it is published, so that buyers are told before.
    """

    seller: str
    card: str
    on_top: OnTop
    services: Mapping[str, OnTop]
    rates: Mapping[str, OnTop]
    price_step: Decimal
    notice_days: int = 0

    def __post_init__(self) -> None:
        if self.price_step <= 0:
            raise Invalid(f"price-step {self.price_step} must be above 0", field="price-step", value=self.price_step)

    def derive(self, rates: tuple[Rate, ...]) -> tuple[Rate, ...]:
        """The base's rates at the derived prices."""
        for slug in self.rates:
            if slug not in {rate.slug for rate in rates}:
                raise Invalid(f"the base has no rate '{slug}'", field="on-top", value=slug)
        return tuple(self._derive(rate) for rate in rates)

    def _derive(self, rate: Rate) -> Rate:
        service = rate.meter.partition("/")[0] if isinstance(rate, UsageRate) else ""
        top = self.rates.get(rate.slug) or self.services.get(service) or self.on_top
        if isinstance(rate, RecurringRate):
            return replace(rate, price=top.of(rate.price, self.price_step))
        if isinstance(rate, SpendCommitment | SpreadRate):
            return replace(rate, amount=top.of(rate.amount, self.price_step))
        match rate.pricing:
            case Blocks(steps, whole):
                priced = tuple(Block(each.to, top.of(each.price, self.price_step)) for each in steps)
                return replace(rate, pricing=Blocks(priced, whole))
            case Lots(size, price):
                return replace(rate, pricing=Lots(size, top.of(price, self.price_step)))
            case Markup():
                return rate
