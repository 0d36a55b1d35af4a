"""Usage of hours from readings."""

from datetime import UTC, datetime, timedelta
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine
from gradumen.core.metering.usage import Sample, combine_hours, spread

moments = st.integers(0, 10**6).map(lambda s: datetime(2026, 3, 28, tzinfo=UTC) + timedelta(seconds=s))


@st.composite
def samples(draw: st.DrawFn) -> Sample:
    start = draw(moments)
    end = start + timedelta(seconds=draw(st.integers(1, 86_400)))
    return Sample(draw(st.sampled_from("ab")), draw(st.integers(1, 2)), start, end, draw(st.integers(0, 10**27)))


@given(samples())
def test_a_sum_spread_over_hours_is_the_sum(sample: Sample) -> None:
    assert sum(part for _, part in spread(sample, Combine.SUM)) == sample.quantity


@given(samples())
def test_a_level_counts_its_seconds(sample: Sample) -> None:
    seconds = int((sample.end - sample.start).total_seconds())

    assert sum(part for _, part in spread(sample, Combine.LEVEL)) == sample.quantity * seconds


@given(st.lists(samples(), max_size=12), st.sampled_from(Combine), st.randoms(use_true_random=False))
def test_the_order_of_readings_makes_no_difference(found: list[Sample], how: Combine, random: Random) -> None:
    shuffled = list(found)
    random.shuffle(shuffled)

    assert combine_hours(shuffled, how) == combine_hours(found, how)
