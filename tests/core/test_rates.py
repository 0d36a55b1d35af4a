"""Rates: what matches and what a quantity costs."""

from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.rates import Block, Blocks, RateCardVersion, UsageRate, find_tie, price_usage
from gradumen.core.units import parse_unit
from tests.core.strategies import CARD_DAY, cards, quantities, usage_rates


def naive(rate: UsageRate, quantity: Fraction) -> Fraction:
    """The price of a quantity from zero, block by block in pricing units."""
    left, total, low = quantity / rate.unit.factor, Fraction(0), Fraction(0)
    for step in rate.blocks.steps:
        size = left if step.upto is None else min(left, Fraction(step.upto) - low)
        total += size * Fraction(step.price)
        left -= size
        low += size
    return total


@given(usage_rates(), quantities, quantities)
def test_every_digit_is_kept(rate: UsageRate, before: Decimal, quantity: Decimal) -> None:
    """Pricing on top of what came before is the difference of two prices from zero, in fractions."""
    priced = price_usage(rate, before, quantity)
    expected = naive(rate, Fraction(before) + Fraction(quantity)) - naive(rate, Fraction(before))

    assert sum((block.amount for block in priced), Fraction(0)) == expected
    assert sum((Fraction(block.quantity) for block in priced), Fraction(0)) == Fraction(quantity)


@given(usage_rates(), st.lists(quantities, min_size=1, max_size=6))
def test_splitting_a_quantity_changes_nothing(rate: UsageRate, parts: list[Decimal]) -> None:
    whole = sum(parts, Decimal(0))
    ends = [sum(parts[:count], Decimal(0)) for count in range(len(parts) + 1)]
    split = sum(
        (block.amount for low, high in pairwise(ends) for block in price_usage(rate, low, high - low)), Fraction(0)
    )

    assert split == sum((block.amount for block in price_usage(rate, Decimal(0), whole)), Fraction(0))


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
        Blocks(tuple(Block(upto, Decimal(price)) for upto, price in steps))


def test_a_negative_price_cannot_be_made() -> None:
    with pytest.raises(Invalid, match="negative"):
        Blocks((Block(None, Decimal("-0.01")),))


def _rate(slug: str, **match: str) -> UsageRate:
    blocks = Blocks((Block(None, Decimal(1)),))
    return UsageRate(
        slug, "compute/vcpu", parse_unit("vCPU-hour", counted="vCPU"), blocks, tuple(sorted(match.items()))
    )


def test_more_conditions_win() -> None:
    card = RateCardVersion("c", 1, "EUR", CARD_DAY, (_rate("all"), _rate("large", size="large")))

    large, small = (
        card.usage_rate("compute/vcpu", {"size": "large"}),
        card.usage_rate("compute/vcpu", {"size": "small"}),
    )
    assert large is not None and large.slug == "large"
    assert small is not None and small.slug == "all"
    assert card.usage_rate("compute/memory", {}) is None


def test_a_tie_is_found_when_the_card_is_made() -> None:
    assert find_tie([_rate("a", size="large"), _rate("b", size="small")]) is None
    assert find_tie([_rate("a", size="large"), _rate("b", site="north")]) is not None
    with pytest.raises(Invalid, match=r"'a' and 'b'"):
        RateCardVersion("c", 1, "EUR", CARD_DAY, (_rate("a"), _rate("b")))


@given(cards())
def test_at_most_one_rate_wins(card: RateCardVersion) -> None:
    """No attributes match two rates of a card equally well."""
    for rate in card.rates:
        if isinstance(rate, UsageRate):
            attributes = dict(rate.match)
            matching = [
                each for each in card.rates if isinstance(each, UsageRate) and each.matches(rate.meter, attributes)
            ]
            most = max(len(each.match) for each in matching)
            assert sum(len(each.match) == most for each in matching) == 1
