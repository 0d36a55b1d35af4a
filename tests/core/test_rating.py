"""Rating agrees with a slow, obvious calculation in fractions, whatever the order and number of rows."""

from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from random import Random
from zoneinfo import ZoneInfo

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, EXACT, add, round_half_up
from gradumen.core.periods import Period, day_start, hour_number, hour_start
from gradumen.core.rates import RateCardVersion, UsageRate
from gradumen.core.rating import USAGE_SCHEMA, Pricing, Rated, RatedLine, combine, rate_period
from tests.core.strategies import METERS, attribute_sets, cards
from tests.core.test_rates import naive

Row = tuple[int, int, int, int, int, int, int]
PERIODS = [Period(2026, 10), Period(2026, 3), Period(2028, 2), Period(2026, 6)]
ZONES = [ZoneInfo("Europe/Dublin"), ZoneInfo("UTC"), ZoneInfo("Asia/Tokyo")]


@dataclass(frozen=True)
class Case:
    """A month of one line: its card's versions, allowances, rows."""

    period: Period
    zone: ZoneInfo
    lines: dict[int, RatedLine]
    sets: dict[int, dict[str, str]]
    rows: list[Row]

    def rate(self, rows: list[Row] | None = None) -> Rated:
        meters = dict(enumerate(METERS))
        pricing = Pricing(self.lines, meters, self.sets, self.period, self.zone)
        return rate_period(frame(self.rows if rows is None else rows), pricing)


def frame(rows: list[Row]) -> pl.DataFrame:
    columns = list(zip(*rows, strict=True)) if rows else [[] for _ in USAGE_SCHEMA]
    return pl.DataFrame(
        {
            name: pl.Series(column, dtype=kind)
            for (name, kind), column in zip(USAGE_SCHEMA.items(), columns, strict=True)
        }
    )


@st.composite
def cases(draw: st.DrawFn) -> Case:
    period, zone = draw(st.sampled_from(PERIODS)), draw(st.sampled_from(ZONES))
    start, end = period.bounds(zone)
    first = draw(cards(1, date(2020, 1, 1)))
    versions: tuple[RateCardVersion, ...] = (first,)
    if draw(st.booleans()):
        day = period.first_day + timedelta(days=draw(st.integers(1, 27)))
        versions = (first, replace(draw(cards(2, day)), currency=first.currency))
    lines = {}
    for number in range(draw(st.integers(1, 3))):
        ends = draw(st.none() | st.integers(20, 27))
        lines[number] = RatedLine(
            number=number,
            plan="plan",
            tier=draw(st.sampled_from(["heath", "moor"])),
            start=day_start(period.first_day + timedelta(days=draw(st.integers(0, 9))), zone),
            end=None if ends is None else day_start(period.first_day + timedelta(days=ends), zone),
            versions=versions,
            allowances={METERS[2]: Decimal(draw(st.integers(0, 10**12)))},
            quantity=draw(st.integers(1, 3)),
        )
    sets = dict(enumerate(draw(st.lists(attribute_sets, min_size=1, max_size=3))))
    hours = st.integers(hour_number(start), hour_number(end) - 1)
    row = st.tuples(
        st.sampled_from(sorted(lines)),
        st.integers(0, len(METERS) - 1),
        st.sampled_from(sorted(sets)),
        st.integers(0, 1),
        st.integers(0, 2),
        hours,
        st.integers(0, 10**26),
    )
    return Case(period, zone, lines, sets, draw(st.lists(row, max_size=25)))


def oracle(case: Case) -> dict[tuple[int, str, int], Decimal]:
    """Amounts per (line, rate, version): one row at a time, in fractions, in the order of time and of the card."""
    start, end = case.period.bounds(case.zone)
    amounts: dict[tuple[int, str, int], Fraction] = defaultdict(Fraction)
    for line in case.lines.values():
        for index, version in enumerate(line.versions):
            rows_start = max(start, line.start, day_start(version.starts_on, case.zone))
            later = line.versions[index + 1 :]
            rows_end = min(end, line.end or end, *(day_start(v.starts_on, case.zone) for v in later))
            fee = version.fee(line.plan, line.tier)
            if fee and rows_end > rows_start:
                share = Fraction(int((rows_end - rows_start).total_seconds()), int((end - start).total_seconds()))
                amounts[line.number, fee.slug, version.number] += Fraction(fee.price) * line.quantity * share
        for meter, slug in enumerate(METERS):
            left = Fraction(line.allowances.get(slug, 0))
            seen: dict[str, Fraction] = defaultdict(Fraction)
            for version in line.versions:
                for rate in version.rates:
                    if not isinstance(rate, UsageRate) or rate.meter != slug:
                        continue
                    quantity = Fraction(0)
                    for row in case.rows:
                        moment = hour_start(row[5])
                        holding = max(
                            (v for v in line.versions if day_start(v.starts_on, case.zone) <= moment),
                            key=lambda v: v.starts_on,
                        )
                        wins = holding.usage_rate(slug, case.sets[row[2]])
                        if row[0] == line.number and row[1] == meter and holding is version and wins is rate:
                            quantity += Fraction(row[6], 10**6)
                    if any(row[0] == line.number and row[1] == meter for row in case.rows):
                        covered = min(left, quantity)
                        left -= covered
                        before = seen[rate.slug]
                        seen[rate.slug] += quantity - covered
                        amounts[line.number, rate.slug, version.number] += naive(rate, seen[rate.slug]) - naive(
                            rate, before
                        )
    return {key: round_half_up(amount, AMOUNT_PLACES) for key, amount in amounts.items()}


def amounts(rated: Rated) -> dict[tuple[int, str, int], Decimal]:
    return {(charge.line, charge.rate, charge.version.number): charge.amount for charge in rated.charges}


@settings(max_examples=250)
@given(cases())
def test_rating_agrees_with_the_oracle(case: Case) -> None:
    expected = {key: amount for key, amount in oracle(case).items() if amount}
    found = {key: amount for key, amount in amounts(case.rate()).items() if amount}

    assert found == expected


@given(cases(), st.randoms(use_true_random=False))
def test_the_order_of_rows_makes_no_difference(case: Case, random: Random) -> None:
    shuffled = list(case.rows)
    random.shuffle(shuffled)

    assert case.rate(shuffled) == case.rate()


@given(cases(), st.integers(1, 10))
def test_splitting_rows_makes_no_difference(case: Case, at: int) -> None:
    split = [part for row in case.rows for part in ((*row[:6], row[6] // at), (*row[:6], row[6] - row[6] // at))]

    assert case.rate(split) == case.rate()


@given(cases())
def test_parts_sum_to_their_charge_and_quantities_are_conserved(case: Case) -> None:
    rated = case.rate()

    for charge in rated.charges:
        assert add([part.amount for part in charge.parts]) == charge.amount
        assert add([part.quantity for part in charge.parts]) == charge.quantity
    used = sum(row[6] for row in case.rows)
    priced = add([charge.quantity for charge in rated.charges if charge.meter])
    not_priced = add([each.quantity for each in rated.unpriced])
    assert add([priced, not_priced]) == Decimal(used).scaleb(-6, EXACT)


@given(cases())
def test_blocks_and_what_the_allowance_covers_are_the_quantity(case: Case) -> None:
    for charge in case.rate().charges:
        if charge.meter:
            assert add([*(block.quantity for block in charge.blocks), charge.covered]) == charge.quantity
            assert charge.amount == round_half_up(sum((b.amount for b in charge.blocks), Fraction(0)), AMOUNT_PLACES)


def test_usage_without_a_rate_is_listed_and_not_charged() -> None:
    line = RatedLine(
        0,
        "plan",
        "heath",
        datetime(2026, 1, 1, tzinfo=UTC),
        None,
        (RateCardVersion("card", 1, "EUR", date(2020, 1, 1), ()),),
        {},
    )
    case = Case(
        Period(2026, 6),
        ZoneInfo("UTC"),
        {0: line},
        {0: {}},
        [(0, 0, 0, 0, 0, hour_number(datetime(2026, 6, 2, tzinfo=UTC)), 5)],
    )

    rated = case.rate()
    assert rated.charges == ()
    assert [(each.meter, each.quantity) for each in rated.unpriced] == [(METERS[0], Decimal("0.000005"))]


def test_a_sum_that_might_not_fit_is_refused() -> None:
    with pytest.raises(Invalid, match="too large"):
        combine(frame([(0, 0, 0, 0, 0, 1, 2**125)] * 4).lazy(), [])
