"""Rating agrees with a slow, obvious calculation in fractions, whatever the order and number of rows."""

import os
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from fractions import Fraction
from random import Random
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from gradumen.core.catalogue.rates import Over, RateCardVersion
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, EXACT, add, round_half_up, scaled
from gradumen.core.periods import Period, hour_number
from gradumen.core.rating.charges import Charge, Rated
from gradumen.core.rating.hours_apart import BY_HOUR, HoursApart
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import RatedLine
from tests.core.rating.generator import METERS, make_batch, pricing_of, spell_frame, usage_frame
from tests.core.rating.reference import Case, Key, reference

BATCHES, BATCHES_A_TEST, CASES_A_BATCH = int(os.environ.get("GRADUMEN_BATCHES", "40")), 10, 40
"""1,600 months in every run; ten thousand with GRADUMEN_BATCHES=250."""


def rate(case: Case) -> Rated:
    return rate_period(usage_frame(case), pricing_of(case), spell_frame(case))


def key_of(charge: Charge) -> Key:
    return charge.line, charge.rate, charge.version.number, -1 if charge.project is None else charge.project


def amounts(rated: Rated) -> dict[Key, int]:
    found = {key_of(charge): scaled(charge.amount, AMOUNT_PLACES) for charge in rated.charges}
    assert len(found) == len(rated.charges), "a charge stands twice"
    return {key: amount for key, amount in found.items() if amount}


@pytest.mark.parametrize("first", range(0, BATCHES, BATCHES_A_TEST))
def test_rating_agrees_with_the_reference(first: int) -> None:
    for seed in range(first, first + BATCHES_A_TEST):
        case = make_batch(seed, CASES_A_BATCH)
        expected = {key: amount for key, amount in reference(case).items() if amount}

        assert amounts(rate(case)) == expected, f"seed {seed}"


@pytest.mark.parametrize("seed", range(1000, 1020))
def test_the_order_of_rows_makes_no_difference(seed: int) -> None:
    case = make_batch(seed, 5)
    ordered = rate(case)
    Random(seed).shuffle(case.rows)
    Random(seed).shuffle(case.spells)

    assert rate(case) == ordered


@pytest.mark.parametrize("seed", range(2000, 2020))
def test_splitting_rows_makes_no_difference(seed: int) -> None:
    case = make_batch(seed, 5)
    parts = [(row, row[6] // (seed % 7 + 2)) for row in case.rows]
    split = replace(case, rows=[each for row, at in parts for each in ((*row[:6], at), (*row[:6], row[6] - at))])
    halves = [
        part
        for each in case.spells
        for at in ((each[5] + each[6]) // 2,)
        for part in ((*each[:6], at, each[7]), (*each[:5], at, *each[6:]))
        if part[5] < part[6]
    ]

    assert rate(replace(split, spells=halves)) == rate(case)


@pytest.mark.parametrize("seed", range(4000, 4020))
def test_usage_may_be_moved_between_hours_that_are_not_told_apart(seed: int) -> None:
    case = make_batch(seed, 3)
    versions = [version for line in case.lines.values() for version in line.versions]
    start, end = (hour_number(moment, case.zone) for moment in case.period.bounds(case.zone))
    apart = HoursApart(versions, case.samplings, METERS, (start, end), case.zone)
    kinds = apart.kinds(np.array([row[1] for row in case.rows], dtype=np.int64)).tolist()
    moved = []
    for kind, (*place, hour, quantity) in zip(kinds, case.rows, strict=True):
        cuts = apart.cuts[kind]
        first = hour if kind == BY_HOUR else int(cuts[np.searchsorted(cuts, hour, side="right") - 1])
        moved.append((*place, first, quantity))

    assert rate(replace(case, rows=moved)) == rate(case)


@pytest.mark.parametrize("seed", range(3000, 3020))
def test_parts_sum_to_their_charge(seed: int) -> None:
    for charge in rate(make_batch(seed, 10)).charges:
        assert add([part.amount for part in charge.parts]) == charge.amount
        if charge.kind != "discount":
            assert add([part.quantity for part in charge.parts]) == charge.quantity


@pytest.mark.parametrize("seed", range(4000, 4020))
def test_additive_quantities_are_conserved(seed: int) -> None:
    """What was used = what is charged + what nothing prices."""
    case = make_batch(seed, 10)
    rated = rate(case)
    for meter in (METERS[number] for number in (0, 1, 2, 3)):
        used = sum(row[6] for row in case.rows if METERS[row[1]] == meter)
        priced = add([charge.quantity for charge in rated.charges if charge.meter == meter])
        not_priced = add([each.quantity for each in rated.unpriced if each.meter == meter])
        assert add([priced, not_priced]) == Decimal(used).scaleb(-6, EXACT)


@pytest.mark.parametrize("seed", range(5000, 5020))
def test_the_arithmetic_shown_comes_to_the_amount(seed: int) -> None:
    """Blocks, true-up and covered are the quantity; blocks and adjustments, rounded once, are the amount."""
    for charge in rate(make_batch(seed, 10)).charges:
        if charge.meter is None:
            continue
        arithmetic = round_half_up(sum((b.amount for b in charge.blocks), Fraction(0)), AMOUNT_PLACES)
        whole = add([arithmetic, *(each.amount for each in charge.adjustments)])
        if charge.shared is None:
            assert whole == charge.amount
            if charge.kind != "lots":
                shown = add([*(block.quantity for block in charge.blocks), charge.covered])
                assert shown == add([charge.quantity, charge.true_up])
        else:
            assert whole == charge.shared.amount


@pytest.mark.parametrize("seed", range(6000, 6010))
def test_shares_of_what_is_priced_together_sum_to_the_whole(seed: int) -> None:
    together: dict[tuple[object, ...], list[Charge]] = {}
    case = make_batch(seed, 20)
    for charge in rate(case).charges:
        if charge.shared is not None:
            if charge.kind == "spread":
                together.setdefault((charge.version.card, charge.version.number, charge.rate), []).append(charge)
                continue
            rate_of = next(each for each in charge.version.usage_rates if each.slug == charge.rate)
            line = case.lines[charge.line]
            scope = {Over.SUBSCRIPTION: line.scope, Over.PROJECT: charge.project, Over.TENANT: line.tenant}
            key = (charge.version.card, charge.version.number, charge.rate, scope.get(rate_of.over, line.buyer))
            together.setdefault(key, []).append(charge)
    assert together
    for charges in together.values():
        assert len({charge.shared for charge in charges}) == 1
        shared = charges[0].shared
        assert shared is not None and add([charge.amount for charge in charges]) == shared.amount


def test_usage_without_a_rate_is_listed_and_not_charged() -> None:
    empty = RateCardVersion("card", 1, "EUR", date(2020, 1, 1), ())
    line = RatedLine(0, "plan", "heath", datetime(2026, 1, 1, tzinfo=UTC), None, (empty,), {})
    row = (0, 0, 0, 0, 0, hour_number(datetime(2026, 6, 2, tzinfo=UTC)), 5)
    case = Case(Period(2026, 6), ZoneInfo("UTC"), METERS, {0: {}}, {}, {0: line}, [row])

    rated = rate(case)
    assert rated.charges == ()
    assert [(each.meter, each.quantity) for each in rated.unpriced] == [(METERS[0], Decimal("0.000005"))]


def test_a_negative_quantity_is_refused() -> None:
    case = make_batch(1, 3)
    case.rows = [(*row[:6], -1) for row in case.rows]
    with pytest.raises(Invalid, match="never negative"):
        rate(case)


def test_sums_beyond_64_bits_are_exact() -> None:
    """Rows and prices that 64 bits hold only one by one."""
    case = next(case for case in (make_batch(seed, 1) for seed in range(7000, 8000)) if case.rows)
    case.rows = [(*row[:6], 10**27 + index) for index, row in enumerate(case.rows * 50)]

    assert amounts(rate(case)) == {key: amount for key, amount in reference(case).items() if amount}


def test_a_seller_without_lines_charges_nothing() -> None:
    case = Case(Period(2026, 6), ZoneInfo("UTC"), METERS, {0: {}}, {}, {}, [])
    assert (rate(case).charges, rate(case).unpriced) == ((), ())
