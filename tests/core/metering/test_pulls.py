"""What samples come to: hours add up to the whole, however they are cut, and a level holds for its steps only."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.metering.pulls import HOUR, check_step, due_windows, rise, sample_value, spells

START = datetime(2026, 11, 28, tzinfo=UTC)
STEP = timedelta(minutes=5)
HOURS = 4
VALUES = st.decimals(min_value=0, max_value=10**6, places=6)
SAMPLES = st.lists(st.none() | VALUES, min_size=HOURS * 12 + 1, max_size=HOURS * 12 + 1).map(
    lambda values: [(START + STEP * nth, value) for nth, value in enumerate(values) if value is not None]
)


@given(SAMPLES)
def test_hours_add_up_to_what_a_counter_rose_by_in_all(samples: list[tuple[datetime, Decimal]]) -> None:
    whole = rise(samples, START, START + HOUR * HOURS)
    parts = [rise(samples, START + HOUR * nth, START + HOUR * (nth + 1)) for nth in range(HOURS)]
    assert sum(parts) == whole
    # A counter that never begins anew rose by the difference of its ends.
    rising = sorted(value for _, value in samples)
    steady = [(at, value) for (at, _), value in zip(samples, rising, strict=True)]
    if steady:
        assert rise(steady, START, START + HOUR * HOURS) == rising[-1] - rising[0]


@given(SAMPLES)
def test_a_level_holds_for_as_many_steps_as_it_was_seen(samples: list[tuple[datetime, Decimal]]) -> None:
    found = spells(samples, START, START + HOUR, STEP)
    inside = [value for at, value in samples if at < START + HOUR]
    assert sum(level * ((end - start) // STEP) for start, end, level in found) == sum(inside)
    for (_, end, level), (start, _, other) in pairwise(found):
        assert end <= start and (end < start or level != other), "apart, or another level"
    assert all(START <= start < end <= START + HOUR for start, end, _ in found)


@pytest.mark.parametrize("raw", ["NaN", "+Inf", "-1", "1e40", "", "1_0", 5, None, "9" * 70])
def test_what_is_no_quantity_is_refused(raw: object) -> None:
    with pytest.raises(Invalid):
        sample_value(raw)


@pytest.mark.parametrize("seconds", [0, 14, 7, 3601, 7200, 50 * 60])
def test_steps_fill_an_hour(seconds: int) -> None:
    with pytest.raises(Invalid, match="divides an hour"):
        check_step(seconds)


def test_hours_that_rested_are_due_a_few_at_a_time() -> None:
    now = START + HOUR * 100 + timedelta(minutes=9)
    assert due_windows(START + HOUR * 99, now, timedelta(minutes=10)) == []
    assert len(due_windows(START, now, timedelta(0))) == 48
    assert due_windows(now + HOUR * 5, now, timedelta(0)) == [], "not before it begins"
