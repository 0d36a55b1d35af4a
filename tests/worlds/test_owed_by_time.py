"""The plain calculation of machines, suppliers' costs and promises, held against amounts worked out by hand."""

from dataclasses import replace
from datetime import UTC, date, datetime
from fractions import Fraction

from tests.worlds.test_owed import PLAIN, customer, link, owed
from tests.worlds.used import Cost, Promise, Told
from tests.worlds.worlds import Move, Stretch

FREE = replace(PLAIN, fees={"heath": Fraction(0), "moor": Fraction(0)})
SEPTEMBER = date(2026, 9, 1)


def at(day: int, hour: int, minute: int = 0) -> datetime:
    return datetime(2026, 9, day, hour, minute, tzinfo=UTC)


def test_begun_hours_go_on_through_versions_and_what_is_parked_is_by_seconds() -> None:
    """From 23:30 for 90 minutes: one hour begins before midnight, one after it; then half an hour is parked."""
    card = replace(FREE, awake=Fraction(3), parked=Fraction(1))
    sold = link(card, replace(card, day=date(2026, 9, 16), awake=Fraction(5)))
    family = customer(sold)
    family.customers[0].told = [
        Told(at(15, 23, 30), "m", "awake", 2, "all", 0),
        Told(at(16, 1), "m", "parked", 2, "all", 1),
        Told(at(16, 1, 30), "m", "", 1, "all", 2),
    ]
    assert owed(family, sold) == {("awake", 1): 2 * 3, ("awake", 2): 2 * 5, ("parked", 2): 1}


def test_costs_are_worth_what_their_day_says_and_a_fixed_amount_is_once() -> None:
    card = replace(FREE, markup=10, fixed=Fraction(9))
    sold = link(card, replace(card, day=date(2026, 9, 16)))
    family = customer(sold)
    family.customers[0].costs = [
        Cost(date(2026, 9, 2), SEPTEMBER, 1000, "EUR", "all", "vm"),
        Cost(date(2026, 9, 2), SEPTEMBER, 1000, "EUR", "all", "vm", "Tax"),
        Cost(date(2026, 9, 17), SEPTEMBER, -200, "GBP", "all", "vm", "Credit"),
        Cost(date(2026, 9, 17), date(2026, 10, 1), 500, "EUR", "all", "vm"),
        Cost(date(2026, 9, 5), SEPTEMBER, 500, "JPY", "all", "vm"),
    ]
    assert owed(family, sold) == {("resold", 1): 11 + 9, ("resold", 2): -2 * Fraction(115, 100) * Fraction(11, 10)}


def test_a_cost_of_the_day_of_a_move_is_the_new_sellers() -> None:
    left, later = link(replace(FREE, markup=0)), link(replace(FREE, markup=0))
    family = customer(left)
    [one] = family.customers
    one.move = Move("customer", date(2026, 9, 15), at(14, 23), [left], [later])
    one.costs = [Cost(date(2026, 9, day), SEPTEMBER, 100 * day, "EUR", "all", "vm") for day in (14, 15)]
    assert (owed(family, left), owed(family, later)) == ({("resold", 1): 14}, {("resold", 1): 15})


def test_a_promise_is_level_by_time_to_the_end_of_the_month_and_not_in_a_pause() -> None:
    """730 of a GiB for ten days, and 365 of these are the project's, which is all the customer's here."""
    sold = link(replace(FREE, promised=Fraction(2)))
    family = customer(sold, Stretch(SEPTEMBER, "heath", 1, False), Stretch(date(2026, 9, 21), "heath", 1, True))
    family.customers[0].promises = [Promise(at(11, 0), 730), Promise(at(16, 0), 365, "barn")]
    assert owed(family, sold) == {("promised", 1): 10 * 24 * 2}
