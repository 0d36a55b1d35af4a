"""Charges: priced quantities with their explanation, and what they are split into."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from gradumen.core.catalogue.rates import PROMISED, RateCardVersion
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.rating.parts import Part


class PricedBlock(NamedTuple):
    """One step of the arithmetic: so much quantity at a price per pricing unit.

    ``start`` and ``size`` are in millionths of base units (of lots, for those); ``factor`` is base units per
    pricing unit.
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


@dataclass(frozen=True, slots=True)
class Adjustment:
    """What changes the arithmetic's outcome: ``fixed``, ``minimum``, ``cap``."""

    kind: str
    amount: Decimal


@dataclass(frozen=True, slots=True)
class Shared:
    """What several lines are priced as one for: the quantity and amount of all; the charge has its share."""

    quantity: Decimal
    amount: Decimal


class Charge(NamedTuple):
    """A priced quantity of one supply line and rate version, with its arithmetic.

    Quantities are in base units (seconds for fees), amounts in the card's currency with 12 places. ``covered`` is
    what allowances cover, ``before`` was priced earlier in the period, ``true_up`` is committed and not used (priced
    beside the quantity). Of a shared charge, blocks and adjustments are those of all lines together; ``key`` is what
    the line used of the meter by which a fixed cost is spread.
    """

    line: int
    kind: str
    rate: str
    version: RateCardVersion
    meter: str | None
    unit: str
    quantity: Decimal
    covered: Decimal
    before: Decimal
    blocks: tuple[PricedBlock, ...]
    amount: Decimal
    start: datetime
    end: datetime
    project: int | None = None
    true_up: Decimal = Decimal(0)
    adjustments: tuple[Adjustment, ...] = ()
    shared: Shared | None = None
    key: Decimal = Decimal(0)
    advance: bool = False
    attributes: tuple[int, ...] = ()
    exchange: tuple[tuple[date, Decimal], ...] = ()
    """Of cost in another currency what a unit was worth in the card's, and since when it was, in order."""
    estimated: Decimal = Decimal(0)
    """What of the amount is for costs that no file states yet."""
    parts: Sequence[Part] = ()
    evidence: str = ""
    """Of a stored charge, the hash of what it was made from; see `gradumen.core.rating.parts.evidence_of`."""


SHARED_COST = "shared-cost"
"""In place of a service: fixed cost and overhead, which are shared out."""
ONE_OFF = "one-off"
"""In place of a service: what is charged once, as a fee or by hand."""
PROMISES = PROMISED.removesuffix("/")
"""In place of a service: what quotas promise."""


def service_of(kind: str, meter: str | None) -> str:
    """The service that a charge is for, `SHARED_COST`, `ONE_OFF`, `PROMISES`, or for fees and discounts nothing.

    >>> service_of("per_unit", "compute/vcpu"), service_of("overhead", None), service_of("recurring", None)
    ('compute', 'shared-cost', '')
    >>> service_of("one_off", None), service_of("one_off_charge", None)
    ('one-off', 'one-off')
    """
    if kind in ("one_off", "one_off_charge"):
        return ONE_OFF
    return SHARED_COST if kind in ("spread", "overhead") else (meter or "").partition("/")[0]


ALL = -1
"""In place of one of several that are added up."""


@dataclass(frozen=True, slots=True)
class Unpriced:
    """Usage of a supply line that no rate of its card prices: of a resource, or of `ALL` where they are added up.

    Of what quotas promise it is nothing where there is no limit to charge.
    """

    line: int
    meter: str
    attributes: int
    project: int
    resource: int
    quantity: Decimal


@dataclass(frozen=True, slots=True)
class Rated:
    """What rating gives: charges, and what nothing prices."""

    charges: tuple[Charge, ...]
    unpriced: tuple[Unpriced, ...]
