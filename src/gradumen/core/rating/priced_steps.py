"""What the steps of a period come to, written out: amounts, blocks and adjustments."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction

import numpy as np

from gradumen.core.catalogue.rates import Lots, Markup, RateCardVersion, UsageRate
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, unscaled
from gradumen.core.rating.charges import Adjustment, PricedBlock
from gradumen.core.rating.combining import RateAt
from gradumen.core.rating.groups import fitted
from gradumen.core.rating.pricing import Priced, Rows, price_rows


def prices_of(rate: UsageRate) -> tuple[tuple[Decimal, ...], Fraction]:
    """A rate's prices and the base units (or lots) that each is for.

    >>> from gradumen.core.catalogue.rates import Block, Blocks
    >>> from gradumen.core.units import parse_unit
    >>> blocks = Blocks((Block(Decimal(15), Decimal("0.05")), Block(None, Decimal("0.04"))))
    >>> prices_of(UsageRate("egress", "network/egress", parse_unit("GiB"), blocks))
    ((Decimal('0.05'), Decimal('0.04')), Fraction(1073741824, 1))
    """
    pricing = rate.pricing
    if isinstance(pricing, Lots):
        return (pricing.price,), Fraction(1)
    if isinstance(pricing, Markup):
        return (pricing.price,), rate.unit.factor
    return tuple(step.price for step in pricing.steps), rate.unit.factor


@dataclass(frozen=True, slots=True)
class PricedStep:
    """What a version's share of a period comes to; see `Charge`."""

    amount: Decimal
    covered: Decimal
    before: Decimal
    true_up: Decimal
    blocks: tuple[PricedBlock, ...]
    adjustments: tuple[Adjustment, ...]


def price_steps(steps: Sequence[tuple[UsageRate, Decimal]]) -> list[PricedStep]:
    """Price what one scope used in a period, at the namesakes of a rate in successive versions.

    Args:
        steps: each version's rate and the quantity used while it held, in the rate's unit.

    The second version goes on where the first ended: 10 GiB of its block of 15 are gone.

    >>> from gradumen.core.catalogue.rates import Block, Blocks
    >>> from gradumen.core.units import parse_unit
    >>> def egress(first: str) -> UsageRate:
    ...     blocks = Blocks((Block(Decimal(15), Decimal(first)), Block(None, Decimal("0.04"))))
    ...     return UsageRate("egress", "network/egress", parse_unit("GiB"), blocks)
    >>> [str(step.amount) for step in price_steps([(egress("0.05"), Decimal(10)), (egress("0.06"), Decimal(10))])]
    ['0.500000000000', '0.500000000000']
    """
    version = RateCardVersion("steps", 1, "EUR", date(2000, 1, 1), ())
    rates = [RateAt(version, rate, 0, order) for order, (rate, _) in enumerate(steps)]
    quantities = [rate.scaled_quantity(quantity, "quantity") for rate, quantity in steps]
    none = np.zeros(len(steps), dtype=np.int64)
    commits = np.arange(1, len(steps) + 1) == len(steps)
    rows = Rows(none, np.arange(len(steps)), fitted(np.array(quantities, dtype=object)), commits)
    priced = price_rows(rows, rates)
    found = Steps(priced)
    return [found.priced(step, rate) for step, (rate, _) in enumerate(steps)]


class Steps:
    """What the steps of a period come to, as lists."""

    def __init__(self, priced: Priced) -> None:
        count, pieces = len(priced.amount), priced.pieces
        self._figures = list(
            zip(
                *(
                    column.tolist()
                    for column in (
                        priced.amount, priced.covered, priced.before, priced.true_up, priced.priced, priced.fixed,
                    )
                ),
                strict=True,
            )
        )  # fmt: skip
        self._pieces = list(zip(pieces.start.tolist(), pieces.size.tolist(), pieces.price.tolist(), strict=True))
        self._bounds = np.searchsorted(pieces.step, np.arange(count + 1)).tolist()
        self._prices: dict[int, tuple[tuple[Decimal, ...], Fraction]] = {}

    def priced(self, step: int, rate: UsageRate) -> PricedStep:
        """A step that a rate priced."""
        amount, covered, before, true_up, priced, fixed = self._figures[step]
        if id(rate) not in self._prices:
            self._prices[id(rate)] = prices_of(rate)
        prices, factor = self._prices[id(rate)]
        return PricedStep(
            amount=amount_of(amount),
            covered=quantity_of(covered),
            before=quantity_of(before),
            true_up=quantity_of(true_up),
            blocks=tuple(
                PricedBlock(start, size, prices[price], factor)
                for start, size, price in self._pieces[self._bounds[step] : self._bounds[step + 1]]
            ),
            adjustments=_adjustments(amount - priced - fixed, fixed),
        )


def _adjustments(bounded: int, fixed: int) -> tuple[Adjustment, ...]:
    if not (bounded or fixed):
        return ()
    found = [("fixed", fixed), ("minimum" if bounded > 0 else "cap", bounded)]
    return tuple(Adjustment(kind, amount_of(amount)) for kind, amount in found if amount)


def quantity_of(millionths: int) -> Decimal:
    """A quantity in base units."""
    return unscaled(millionths, QUANTITY_PLACES)


def amount_of(whole: int) -> Decimal:
    """An amount in the card's currency."""
    return unscaled(whole, AMOUNT_PLACES)
