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

from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import Block, Blocks, Every, Over, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, EXACT, add, round_half_up, scaled
from gradumen.core.periods import Period, hour_number
from gradumen.core.rating.charges import Charge, Rated
from gradumen.core.rating.hours_apart import BY_HOUR, HoursApart
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import RatedLine
from gradumen.core.units import parse_unit
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
            key = (charge.version.card, charge.version.number, charge.rate, line.buyer, scope.get(rate_of.over))
            together.setdefault(key, []).append(charge)
    assert together
    for charges in together.values():
        assert len({charge.shared for charge in charges}) == 1
        shared = charges[0].shared
        assert shared is not None and add([charge.amount for charge in charges]) == shared.amount


@pytest.mark.parametrize("seed", range(8000, 8010))
def test_a_buyer_is_charged_the_same_whoever_is_rated_with_it(seed: int) -> None:
    """Also where one follows another on the same card; fixed costs are shared by all, and what is put on these."""
    case = make_batch(seed, 20)
    whole = [each for each in rate(case).charges if each.kind not in ("spread", "overhead", "commitment", "discount")]
    apart: list[Charge] = []
    for buyer in {line.buyer for line in case.lines.values()}:
        lines = {number: line for number, line in case.lines.items() if line.buyer == buyer}
        own = replace(case, lines=lines, rows=[row for row in case.rows if row[0] in lines])
        apart += rate(replace(own, spells=[each for each in case.spells if each[0] in lines])).charges
    found = {key_of(each): each.amount for each in apart}
    assert {key_of(each): found.get(key_of(each)) for each in whole} == {key_of(each): each.amount for each in whole}


def test_what_cumulates_over_a_project_begins_anew_with_the_next_buyer() -> None:
    """A tenant moves from one reseller to another, which buy by one card: of each, 10 cost 1 and all else 3."""
    blocks = Blocks((Block(Decimal(10), Decimal(1)), Block(None, Decimal(3))))
    rate_of = UsageRate("example", METERS[1], parse_unit("GiB"), blocks, over=Over.PROJECT)
    card, turn = RateCardVersion("card", 1, "EUR", date(2020, 1, 1), (rate_of,)), datetime(2026, 6, 11, tzinfo=UTC)
    left = RatedLine(0, "plan", "heath", datetime(2026, 1, 1, tzinfo=UTC), turn, (card,), {}, buyer=2, tenant=4)
    come = replace(left, number=1, start=turn, end=None, buyer=3, tenant=5, continues=True)
    hours = [hour_number(datetime(2026, 6, day, tzinfo=UTC), ZoneInfo("UTC")) for day in (2, 20)]
    rows = [(line, 1, 0, 7, 0, hour, 15 * 2**30 * 10**6) for line, hour in enumerate(hours)]
    case = Case(Period(2026, 6), ZoneInfo("UTC"), METERS, {0: {}}, {}, {0: left, 1: come}, rows)
    assert [charge.amount for charge in rate(case).charges] == [Decimal(25), Decimal(25)]


def test_of_an_amount_off_the_earlier_version_gives_first_also_of_a_term_that_ends_in_the_period() -> None:
    """A quarter that ended in June was sold by two versions; in June itself something was used."""
    fee = RecurringRate("fee", "plan", "heath", Decimal(91), Every.QUARTER)
    used = UsageRate("used", METERS[1], parse_unit("GiB"), Blocks((Block(None, Decimal(1)),)))
    off = (Discount("loyal", "Loyal", amount=Decimal(30)),)
    first = RateCardVersion("card", 1, "EUR", date(2020, 1, 1), (fee,), off)
    second = RateCardVersion("card", 2, "EUR", date(2026, 3, 22), (used, fee), off)
    line = RatedLine(
        0, "plan", "heath", datetime(2026, 3, 2, tzinfo=UTC), None, (first, second), {}, first_day=date(2026, 3, 2)
    )
    row = (0, 1, 0, 0, 0, hour_number(datetime(2026, 6, 2, tzinfo=UTC), ZoneInfo("UTC")), 7 * 2**30 * 10**6)
    case = Case(Period(2026, 6), ZoneInfo("UTC"), METERS, {0: {}}, {}, {0: line}, [row])
    given = {each.version.number: each.amount for each in rate(case).charges if each.kind == "discount"}
    assert set(given) == {1, 2} and given[1] + given[2] == -30
    assert given[1] == -sum(each.amount for each in rate(case).charges if (each.rate, each.version) == ("fee", first))


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
