"""Discounts: what lowers a price, and by how much of what is left after the discounts before it."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction

from gradumen.core.errors import Invalid


@dataclass(frozen=True, slots=True)
class Discount:
    """A percentage, or an amount per billing period, off the charges of a supply line.

    ``rates`` and ``services`` narrow what it applies to; neither means everything on the line. From ``starts_on`` up
    to (not including) ``ends_on``, where given, counted by the day of the charges' parts. Discounts apply in the
    order in which they are listed, each to what the ones before it left.
    """

    slug: str
    name: str
    percent: Decimal | None = None
    amount: Decimal | None = None
    rates: tuple[str, ...] = ()
    services: tuple[str, ...] = ()
    starts_on: date | None = None
    ends_on: date | None = None

    def __post_init__(self) -> None:
        if (self.percent is None) == (self.amount is None):
            raise Invalid("a discount is either a percentage or an amount", field="percent")
        if self.percent is not None and not 0 < self.percent <= 100:
            raise Invalid(
                f"percent {self.percent} must be above 0 and at most 100", field="percent", value=self.percent
            )
        if self.amount is not None and self.amount <= 0:
            raise Invalid(f"amount {self.amount} must be above 0", field="amount", value=self.amount)
        if self.starts_on and self.ends_on and self.ends_on <= self.starts_on:
            raise Invalid(f"until {self.ends_on} must be after from {self.starts_on}", field="until")

    def covers(self, rate: str, service: str | None) -> bool:
        """Whether it applies to charges of a rate of a service (None for fees, which belong to no service)."""
        if self.rates or self.services:
            return rate in self.rates or service in self.services
        return True

    def open_on(self, day: date) -> bool:
        """Whether it applies to what is used on a day."""
        return (self.starts_on is None or self.starts_on <= day) and (self.ends_on is None or day < self.ends_on)

    def off(self, base: int, given: int = 0) -> Fraction:
        """What it takes off a base, all in 1e-12 of the currency; never more than the base.

        An amount lessens by what was ``given`` of it in the same period before.

        >>> Discount("ten", "Ten", percent=Decimal(10)).off(50)
        Fraction(5, 1)
        >>> Discount("five", "Five", amount=Decimal(5)).off(10 * 10**12, given=4 * 10**12)
        Fraction(1000000000000, 1)
        """
        if base <= 0:
            return Fraction(0)
        if self.percent is not None:
            return base * Fraction(self.percent) / 100
        return max(Fraction(0), min(Fraction(base), Fraction(self.amount or 0) * 10**12 - given))
