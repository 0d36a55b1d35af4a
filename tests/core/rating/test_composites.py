"""A composite and its components: never both, and nothing lost, whatever is made of what."""

from collections.abc import Iterator
from random import Random

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.rating.charges import ALL
from gradumen.core.rating.composites import MOST_LEVELS, ROW_SCHEMA, charged_together

Row = tuple[int, int, int, bool, bool]
"""Resource, hour, composite, priced, whole."""


def together(rows: list[Row], owner: int = 1) -> dict[int, int]:
    """What of the rows is charged with which composite."""
    numbered = [(number, owner, *row) for number, row in enumerate(rows)]
    found = charged_together(pl.DataFrame(numbered, schema=ROW_SCHEMA, orient="row"))
    assert found["row"].n_unique() == found.height
    return dict(found.iter_rows())


def above(rows: list[Row], resource: int, hour: int) -> Iterator[int]:
    """All that a resource is inside of in an hour, by walking; itself where it goes round in a circle."""
    seen: set[int] = set()
    ahead = [resource]
    while ahead:
        here = ahead.pop()
        for name, at, composite, _, _ in rows:
            if (name, at) == (here, hour) and composite not in (ALL, here) and composite not in seen:
                seen.add(composite)
                ahead.append(composite)
                yield composite


ROWS = st.lists(
    st.tuples(st.integers(0, 6), st.integers(0, 1), st.integers(-1, 6), st.booleans(), st.booleans()), max_size=14
)


@given(ROWS)
def test_nothing_is_charged_twice_or_lost(rows: list[Row]) -> None:
    rows = [(name, hour, -1 if composite >= name else composite, *rest) for name, hour, composite, *rest in rows]
    apart = together(rows)
    charged = {row[:2] for number, row in enumerate(rows) if row[3] and number not in apart}
    for name, hour in charged:
        assert not {(each, hour) for each in above(rows, name, hour)} & charged
    for number, composite in apart.items():
        name, hour = rows[number][:2]
        if composite != ALL:
            assert (composite, hour) in charged
            assert composite in set(above(rows, name, hour))
        else:
            inside = {row[:2] for row in rows if row[1] == hour and name in set(above(rows, row[0], hour))}
            assert inside & charged


@given(ROWS, st.randoms())
def test_order_makes_no_difference(rows: list[Row], random: Random) -> None:
    found = together(rows)
    order = list(range(len(rows)))
    random.shuffle(order)
    again = together([rows[number] for number in order])
    assert {order[number]: composite for number, composite in again.items()} == found


def test_what_is_made_of_itself_is_charged_by_itself() -> None:
    circle = [(1, 0, 2, True, True), (2, 0, 1, True, True), (3, 0, 1, True, True)]
    assert together(circle) == {2: 1}
    assert together([(1, 0, 1, True, True)]) == {}


def test_only_in_hours_in_which_the_whole_is_priced() -> None:
    rows = [(5, 0, ALL, True, True), (5, 1, ALL, False, True), *((6, hour, 5, True, True) for hour in (0, 1, 2))]
    assert together(rows) == {2: 5}


def test_what_nothing_prices_is_charged_with_its_composite_too() -> None:
    rows = [(5, 0, ALL, True, True), (6, 0, 5, False, True), (7, 0, 6, True, True)]
    assert together(rows) == {1: 5, 2: 5}


def test_all_meters_of_a_component_go_with_it() -> None:
    rows = [(5, 0, ALL, True, True), (6, 0, 5, True, True), (6, 0, ALL, True, True)]
    assert together(rows) == {1: 5, 2: 5}


def test_as_components_where_one_is_priced_else_as_the_whole() -> None:
    composite = (5, 0, ALL, True, False)
    assert together([composite, (6, 0, 5, True, True)]) == {0: ALL}
    assert together([composite, (6, 0, 5, False, True)]) == {}
    assert together([(5, 0, ALL, False, False), (6, 0, 5, True, True)]) == {0: ALL}


def test_a_whole_between_decides_for_what_is_below_it() -> None:
    rows = [(5, 0, ALL, True, False), (6, 0, 5, True, True), (7, 0, 6, True, True)]
    assert together(rows) == {0: ALL, 2: 6}


def test_others_of_the_same_name_are_somebody_elses() -> None:
    rows = [(0, 1, 5, 0, ALL, True, True), (1, 2, 6, 0, 5, True, True)]
    assert charged_together(pl.DataFrame(rows, schema=ROW_SCHEMA, orient="row")).height == 0


def test_a_chain_as_long_as_it_may_be() -> None:
    chain = [(level, 0, level - 1 if level else ALL, True, True) for level in range(MOST_LEVELS + 1)]
    assert together(chain) == dict.fromkeys(range(1, MOST_LEVELS + 1), 0)
    longer = [(level, 0, level - 1 if level else ALL, True, True) for level in range(3 * MOST_LEVELS)]
    found = together(longer)
    assert len(found) == MOST_LEVELS
