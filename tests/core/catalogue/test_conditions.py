"""Which rate wins, and how a tie is found."""

from datetime import date
from decimal import Decimal
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.conditions import (
    Condition,
    Contains,
    Equals,
    Matcher,
    OneOf,
    Prefix,
    TimeWindow,
    can_meet,
    overlap,
    specificity,
    words,
)
from gradumen.core.catalogue.rates import Block, Blocks, RateCardVersion, UsageRate
from gradumen.core.errors import Invalid
from gradumen.core.units import parse_unit

UNIT = parse_unit("vCPU-hour", counted="vCPU")
texts = st.text("ab", min_size=1, max_size=3)
conditions = st.one_of(
    texts.map(Equals),
    st.lists(texts, min_size=2, max_size=3, unique=True).map(lambda values: OneOf(tuple(values))),
    texts.map(Prefix),
    texts.map(Contains),
)
windows = st.none() | st.builds(
    TimeWindow,
    st.sets(st.integers(0, 6), min_size=1).map(lambda days: tuple(sorted(days))),
    st.integers(0, 23),
    st.integers(1, 24),
)


def rate(slug: str, when: TimeWindow | None = None, **match: Condition) -> UsageRate:
    blocks = Blocks((Block(None, Decimal(1)),))
    return UsageRate(slug, "compute/vcpu", UNIT, blocks, tuple(sorted(match.items())), when)


rates = st.builds(
    lambda match, when: (match, when), st.dictionaries(st.sampled_from(["a", "b", "c"]), conditions), windows
)


def card(*made: UsageRate) -> RateCardVersion:
    return RateCardVersion("c", 1, "EUR", date(2026, 1, 1), made)


def test_more_conditions_win_then_equals_one_of_prefix_contains() -> None:
    size = "large-gpu"
    order = [Contains("gpu"), Prefix("large"), OneOf(("large-gpu", "small")), Equals(size)]
    made = [rate("all"), *(rate(f"r{index}", size=condition) for index, condition in enumerate(order))]
    made.append(rate("two", size=Contains("gpu"), site=Contains("n")))
    while len(made) > 1:
        found = card(*made).usage_rate("compute/vcpu", {"size": size, "site": "north"})
        assert found is made[-1]
        made.pop()
    assert card(rate("all")).usage_rate("compute/memory", {}) is None


@given(st.lists(rates, max_size=6), st.dictionaries(st.sampled_from(["a", "b", "c"]), texts), st.integers(0, 167))
def test_the_matcher_finds_what_a_scan_finds(
    made: list[tuple[dict[str, Condition], TimeWindow | None]], attributes: dict[str, str], week_hour: int
) -> None:
    each = [rate(f"r{index}", when, **match) for index, (match, when) in enumerate(made)]
    fitting = [
        (specificity(one), index)
        for index, one in enumerate(each)
        if one.matches("compute/vcpu", attributes) and (one.when is None or one.when.open_at(week_hour))
    ]
    found = Matcher(each).find("compute/vcpu", attributes, week_hour)

    assert (None if found is None else specificity(each[found])) == max(fitting, default=(None,))[0]


@given(st.lists(rates, max_size=6))
def test_a_tie_is_found_exactly_where_two_can_meet(
    made: list[tuple[dict[str, Condition], TimeWindow | None]],
) -> None:
    each = [rate(f"r{index}", when, **match) for index, (match, when) in enumerate(made)]
    alike = [(one, other) for one, other in combinations(each, 2) if specificity(one) == specificity(other)]

    assert (Matcher(each).tie() is not None) == any(can_meet(one, other) for one, other in alike)


@given(conditions, conditions, texts)
def test_two_conditions_that_one_value_fulfils_overlap(left: Condition, right: Condition, value: str) -> None:
    if left.holds(value) and right.holds(value):
        assert overlap(left, right)


def test_a_closed_list_of_values_decides_what_meets() -> None:
    north, south = Prefix("n", among=("north",)), Contains("out", among=("south",))
    assert not overlap(north, south)
    assert overlap(Prefix("n"), Contains("out"))


def test_a_tie_is_refused_with_both_names() -> None:
    with pytest.raises(Invalid, match=r"'a' and 'b'"):
        card(rate("a", size=Equals("large")), rate("b", site=Equals("north")))
    card(rate("a", size=Equals("large")), rate("b", size=Equals("small")))
    nights, mornings = TimeWindow((0,), 22, 6), TimeWindow((1,), 5, 9)
    with pytest.raises(Invalid, match=r"'a' and 'b'"):
        card(rate("a", nights), rate("b", mornings))
    card(rate("a", nights), rate("b", TimeWindow((1,), 6, 9)))


@given(st.integers(0, 6), st.integers(0, 23), st.integers(1, 24))
def test_a_window_over_midnight_ends_on_the_next_day(day: int, start: int, end: int) -> None:
    window = TimeWindow((day,), start, end)
    length = (end - start) % 24 or 24

    assert window.mask.bit_count() == length
    assert all(window.open_at((day * 24 + start + hour) % 168) for hour in range(length))


def test_a_thousand_rates_match_and_tie_check_quickly_enough_to_count_lookups() -> None:
    """The matcher looks one rate up by its values; it does not try the others."""
    made = [rate(f"r{index}", image=Equals(f"i{index}")) for index in range(1000)]
    tried = 0

    class Counting(dict[str, str]):
        def __contains__(self, key: object) -> bool:
            nonlocal tried
            tried += 1
            return super().__contains__(key)

    assert card(*made).matcher.find("compute/vcpu", Counting(image="i999"), 0) == 999
    assert tried == 1


def test_conditions_in_words() -> None:
    nights = TimeWindow((0, 1, 2, 3, 4, 5, 6), 22, 6)
    match = (("image", Prefix("win")), ("size", OneOf(("large", "huge"))))
    assert words(match, nights) == "image beginning with win, size large or huge, 22:00 to 06:00"
