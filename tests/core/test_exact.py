"""Exact numbers."""

import re
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.exact import MINOR_UNITS, allocate, minor_units, number, round_half_up, scaled, text, unscaled

decimals = st.decimals(allow_nan=False, allow_infinity=False, min_value=-(10**24), max_value=10**24, places=12)


@given(st.fractions(), st.integers(0, 12))
def test_rounding_is_to_the_nearest_and_away_from_zero_at_the_half(value: Fraction, places: int) -> None:
    rounded = Fraction(round_half_up(value, places))
    step = Fraction(1, 10**places)

    assert abs(rounded - value) <= step / 2
    if abs(rounded - value) == step / 2:
        assert abs(rounded) > abs(value)


@given(st.integers(-(10**30), 10**30), st.lists(st.integers(0, 10**20), min_size=1, max_size=40))
def test_parts_sum_to_the_whole_and_are_within_one_of_their_share(total: int, weights: list[int]) -> None:
    parts = allocate(total, weights)

    assert sum(parts) == total
    if sum(weights):
        shares = [Fraction(total * weight, sum(weights)) for weight in weights]
        assert all(abs(part - share) < 1 for part, share in zip(parts, shares, strict=True))


@given(decimals)
def test_scaling_there_and_back_keeps_every_digit(value: Decimal) -> None:
    assert unscaled(scaled(value, 12), 12) == value


@given(decimals)
def test_a_number_has_one_text_without_exponent_or_trailing_zeros(value: Decimal) -> None:
    shown = text(value)

    assert Decimal(shown) == value
    assert "E" not in shown
    assert not ("." in shown and shown.endswith("0"))
    assert number(shown, field="x", places=12, digits=60) == value


@pytest.mark.parametrize(
    "raw", [1.5, True, "NaN", "Infinity", "1e400", "", "1,5", "0.0000001", None, [], "1" * 40, "1_000", "٣", "1e9999"]
)
def test_what_is_not_an_exact_number_is_refused(raw: object) -> None:
    with pytest.raises(Invalid):
        number(raw, field="quantity", places=6)


def test_an_unknown_currency_is_refused_with_those_known() -> None:
    with pytest.raises(Invalid, match="EUR"):
        minor_units("EUX")


def test_the_console_knows_the_same_currencies_with_the_same_decimals() -> None:
    shared = Path(__file__).parents[2] / "console" / "src" / "shared"
    decimal, world = ((shared / name).read_text() for name in ("decimal.ts", "world.ts"))

    def codes(text: str, name: str) -> list[str]:
        return re.findall(r"\b[A-Z]{3}\b", text.partition(f"const {name} =")[2].partition(";")[0])

    assert codes(world, "CURRENCIES") == sorted(MINOR_UNITS)
    for name, places in (("WITHOUT", 0), ("THREE", 3)):
        assert codes(decimal, name) == sorted(code for code, units in MINOR_UNITS.items() if units == places)
    assert set(MINOR_UNITS.values()) == {0, 2, 3}
