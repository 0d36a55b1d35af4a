"""Rates: what a quantity costs, and what cannot be made."""

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.rates import (
    Block,
    Blocks,
    Lots,
    Markup,
    Over,
    RateCardVersion,
    SpendCommitment,
    UsageRate,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, round_half_up
from gradumen.core.rating.priced_steps import price_steps
from gradumen.core.units import parse_unit
from tests.core.strategies import usage_rates

units = st.integers(0, 10**15).map(lambda whole: Decimal(whole).scaleb(-3))


def naive(rate: UsageRate, quantity: Fraction) -> Fraction:
    """The price of a quantity from zero, block by block in pricing units."""
    assert isinstance(rate.pricing, Blocks)
    left, total, low = quantity, Fraction(0), Fraction(0)
    for step in rate.pricing.steps:
        size = left if step.to is None else min(left, Fraction(step.to) - low)
        total += size * Fraction(step.price)
        left -= size
        low += size
    return total


@given(usage_rates(), units, units)
def test_every_digit_is_kept(rate: UsageRate, before: Decimal, quantity: Decimal) -> None:
    """Pricing on top of what came before is the difference of two prices from zero, in fractions."""
    _, priced = price_steps([(rate, before), (rate, quantity)])
    expected = naive(rate, Fraction(before) + Fraction(quantity)) - naive(rate, Fraction(before))

    assert sum((block.amount for block in priced.blocks), Fraction(0)) == expected
    assert priced.amount == round_half_up(expected, AMOUNT_PLACES)


@given(usage_rates(), st.lists(units, min_size=1, max_size=6))
def test_splitting_a_quantity_over_versions_changes_nothing(rate: UsageRate, parts: list[Decimal]) -> None:
    split = price_steps([(rate, part) for part in parts])
    (whole,) = price_steps([(rate, sum(parts, Decimal(0)))])

    blocks = [block.amount for step in split for block in step.blocks]
    assert sum(blocks, Fraction(0)) == sum((block.amount for block in whole.blocks), Fraction(0))


@pytest.mark.parametrize(
    "steps",
    [
        [],
        [(Decimal(5), 1)],
        [(None, 1), (None, 2)],
        [(Decimal(5), 1), (Decimal(5), 2), (None, 3)],
        [(Decimal(9), 1), (Decimal(5), 2), (None, 3)],
        [(Decimal(0), 1), (None, 2)],
        [(Decimal(-1), 1), (None, 2)],
    ],
)
def test_blocks_that_overlap_or_leave_a_gap_cannot_be_made(steps: list[tuple[Decimal | None, int]]) -> None:
    with pytest.raises(Invalid, match="ascend"):
        Blocks(tuple(Block(to, Decimal(price)) for to, price in steps))


FLAT = UsageRate("flat", "compute/vcpu", parse_unit("piece-hour"), Blocks((Block(None, Decimal("0.02")),)))


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda: Blocks((Block(None, Decimal("-0.01")),)), "negative"),
        (lambda: Lots(Decimal(0), Decimal(1)), "empty"),
        (lambda: Markup(Decimal(-1)), "negative"),
        (lambda: replace(FLAT, cap=Decimal(1), minimum=Decimal(2)), "below minimum"),
        (lambda: replace(FLAT, allowance=Decimal(-1)), "negative"),
        (lambda: replace(FLAT, committed=Decimal(1), over=Over.PROJECT), "not per project"),
        (lambda: SpendCommitment("s", Decimal(1), over=Over.PROJECT), "fees belong to no project"),
        (lambda: SpendCommitment("s", Decimal(-1)), "negative"),
        (lambda: RateCardVersion("c", 1, "EUR", date(2026, 1, 1), (FLAT, FLAT)), "stands twice"),
        (lambda: RateCardVersion("c", 1, "XXX", date(2026, 1, 1), ()), "currency"),
    ],
)
def test_what_cannot_be_made(change: Callable[[], object], message: str) -> None:
    with pytest.raises(Invalid, match=message):
        change()


def test_a_month_at_a_steady_price_does_not_depend_on_the_unit() -> None:
    per_hour, per_second = FLAT, replace(FLAT, unit=parse_unit("piece-second"), slug="s")
    (hours,) = price_steps([(per_hour, Decimal(2))])
    (seconds,) = price_steps([(per_second, Decimal(7200))])
    assert hours.amount * 3600 == seconds.amount
