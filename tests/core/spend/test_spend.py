"""Spend: exact sums of parts, whole lines to the minor unit, the largest and the rest."""

from collections import defaultdict
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.exact import line_amount, unscaled
from gradumen.core.periods import Period
from gradumen.core.spend.columns import PART_COLUMNS, SPEND_SCHEMA, SpentCharge, spend_columns
from gradumen.core.spend.spend import Range, sums_by

FIRST = date(2026, 9, 1)
SEPTEMBER = Period(2026, 9)
parts = st.lists(
    st.tuples(
        st.integers(0, 3),
        st.one_of(st.none(), st.integers(1, 3)),
        st.one_of(st.none(), st.integers(1, 4)),
        st.integers(-40, 70),
        st.integers(-(10**20), 10**20),
    ),
    min_size=1,
    max_size=40,
)
currencies = st.lists(st.sampled_from(["EUR", "JPY", "KWD"]), min_size=4, max_size=4)


def columns(found: list[tuple[int, int | None, int | None, int, int]], currency: list[str]) -> pl.DataFrame:
    charges = [
        SpentCharge(5, number, f"org-{number % 2}", 9 if number == 3 else None, "plan", "", "", currency[number])
        for number in range(4)
    ]
    rows = [
        (5, charge, project, res, FIRST + timedelta(days=day), amount) for charge, project, res, day, amount in found
    ]
    frame = pl.DataFrame(rows, schema=PART_COLUMNS, orient="row")
    return spend_columns(SEPTEMBER, charges, frame, {(project, 1): "north-fell" for project in range(1, 5)})[5]


@given(parts, currencies)
def test_whole_lines_are_what_documents_say(
    found: list[tuple[int, int | None, int | None, int, int]], currency: list[str]
) -> None:
    """A line is a charge's share of a project; its parts and its rounding come to it, and nothing else changes."""
    made = columns(found, currency)
    assert dict(made.schema) == SPEND_SCHEMA
    assert {day.month for day in made["day"].to_list()} == {9}, "what is charged in a month is spent in it"
    lines: dict[tuple[int, int], list[Decimal]] = defaultdict(list)
    for charge, project, _, _, amount in found:
        lines[charge, project or (9 if charge == 3 else 0)].append(unscaled(amount, 12))
    summed = made.group_by("charge", "project").agg(pl.col("amount").sum()).rows()
    assert {(charge, project): unscaled(amount, 12) for charge, project, amount in summed} == {
        key: line_amount(amounts, currency[key[0]]) for key, amounts in lines.items()
    }
    extra = made.height - len(found)
    assert 0 <= extra <= len(lines)
    sent = sorted((charge, amount) for charge, *_, amount in found)
    kept = made.select("charge", "amount").rows()
    assert len([each for each in sent if each in kept]) == len(sent)


@given(parts, currencies, st.integers(1, 3))
def test_the_largest_and_the_rest_are_the_whole(
    found: list[tuple[int, int | None, int | None, int, int]], currency: list[str], top: int
) -> None:
    rows = columns(found, currency).with_columns(
        pl.col("currency").cast(pl.String),
        pl.col("resource").cast(pl.String),
        pl.lit("compared").alias("part"),
        pl.lit("").alias("cost_currency"),
    )
    totals = {each.currency: each.amount for each in sums_by(rows, (), top)}
    assert totals == {
        each: int(rows.filter(pl.col("currency") == each)["amount"].sum()) for each in set(rows["currency"].to_list())
    }
    sums = sums_by(rows, ("resource",), top)
    for each, whole in totals.items():
        own = [row for row in sums if row.currency == each]
        assert sum(row.amount for row in own) == whole
        named = [row for row in own if row.keys[0] is not None]
        assert len(named) <= top
        values = rows.filter(pl.col("currency") == each)["resource"].n_unique()
        assert sum(row.others for row in own if row.keys[0] is None) == max(0, values - top)
        assert [row.amount for row in named] == sorted((row.amount for row in named), reverse=True)


def test_amounts_that_could_wrap_are_refused() -> None:
    rows = pl.DataFrame(
        {"currency": ["EUR"], "part": ["now"], "cost_currency": [""], "amount": [2**126]},
        schema_overrides={"amount": pl.Int128},
    )
    with pytest.raises(Invalid, match="too large"):
        sums_by(rows, (), 1)


def test_a_month_under_way_stands_against_as_many_days_of_the_one_before() -> None:
    march = Range(date(2026, 3, 1), date(2026, 4, 1))
    assert march.until(date(2026, 3, 30)).before == Range(date(2026, 2, 1), date(2026, 3, 1)), "February is shorter"
    assert march.until(date(2026, 3, 10)).before == Range(date(2026, 2, 1), date(2026, 2, 10)), "the 10th is not over"
    nothing = march.until(date(2026, 3, 1)).before
    assert nothing.first == nothing.end == date(2026, 2, 1)
    assert march.until(date(2026, 5, 1)).before == Range(date(2026, 2, 1), date(2026, 3, 1))
    week = Range(date(2026, 3, 3), date(2026, 3, 10))
    assert week.until(date(2026, 3, 4)).before == Range(date(2026, 2, 24), date(2026, 2, 25))
    for far in (date(1, 1, 2), date(9999, 12, 30)):
        with pytest.raises(Invalid, match="from 1990-01-01 until 2200-01-01"):
            Range.asked(far, far + timedelta(days=1))
    with pytest.raises(Invalid, match="1 to 800 days"):
        Range.asked(date(2026, 3, 3), date(2026, 3, 3))


@given(st.integers(-(10**18), 10**18), st.sampled_from(["EUR", "JPY"]))
def test_rounding_is_half_up(amount: int, currency: str) -> None:
    made = columns([(0, None, None, 0, amount)], [currency] * 4)
    unit = Fraction(1, 1 if currency == "JPY" else 100)
    exact = Fraction(amount, 10**12)
    whole = Fraction(int(made["amount"].sum()), 10**12)
    assert whole % unit == 0
    assert abs(whole - exact) <= unit / 2
    if abs(whole - exact) == unit / 2:
        assert abs(whole) > abs(exact)
