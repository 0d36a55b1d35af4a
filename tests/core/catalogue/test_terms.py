"""How long subscriptions last: terms, renewal, notice."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.terms import Duration, Renewal
from gradumen.core.errors import Invalid
from gradumen.core.periods import months_after

DAYS = st.dates(date(2024, 1, 1), date(2026, 12, 31))
DURATIONS = st.builds(
    Duration,
    st.integers(0, 24),
    st.none() | st.builds(Renewal, st.integers(0, 12), st.integers(0, 90)),
)


def may_end(duration: Duration, first_day: date, day: date, today: date) -> bool:
    try:
        duration.check_end(first_day, day, today)
    except Invalid:
        return False
    return True


@given(DURATIONS, DAYS, st.integers(0, 1500))
def test_the_earliest_end_may_be_and_nothing_before_it(duration: Duration, first_day: date, later: int) -> None:
    today = first_day + timedelta(days=later)
    earliest = duration.earliest_end(first_day, today)

    assert may_end(duration, first_day, earliest, today)
    assert earliest >= months_after(first_day, duration.minimum_months)
    if duration.renewal:
        assert earliest >= today + timedelta(days=duration.renewal.notice_days)
        for days in range(1, 40):
            before = earliest - timedelta(days=days)
            assert before == first_day or not may_end(duration, first_day, before, today)


@given(DURATIONS.filter(lambda d: d.renewal is not None and d.renewal.months > 0), DAYS, st.integers(0, 1500))
def test_it_ends_only_with_a_term_and_notice_is_on_time(duration: Duration, first_day: date, later: int) -> None:
    today = first_day + timedelta(days=later)
    renewal = duration.renewal
    assert renewal is not None
    earliest = duration.earliest_end(first_day, today)
    first = duration.minimum_months or renewal.months
    assert earliest in {months_after(first_day, first + number * renewal.months) for number in range(2000)}
    by = duration.notice_by(first_day, today)
    assert by is not None
    assert today <= by
    assert duration.earliest_end(first_day, by) == earliest
    assert duration.earliest_end(first_day, by + timedelta(days=1)) > earliest


def test_the_refusal_names_term_notice_and_day() -> None:
    with pytest.raises(
        Invalid, match=r"at least 12 months and renews every 12 months, with 30 days' notice.*2028-01-01"
    ):
        Duration(12, Renewal(12, 30)).check_end(date(2026, 1, 1), date(2027, 1, 1), date(2026, 12, 3))
