"""Usage of days from readings."""

from collections import Counter
from datetime import date, timedelta
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine
from gradumen.core.metering.usage import Sample, combine_days, over_hours, spans_of


@st.composite
def samples(draw: st.DrawFn) -> Sample:
    start = draw(st.integers(20_000 * 86_400, 20_010 * 86_400))
    end = start + draw(st.integers(1, 86_400))
    owner, resource, attributes = (draw(st.integers(0, 2)) for _ in range(3))
    return Sample(owner, resource, attributes, start, end, draw(st.integers(0, 10**27)))


@given(samples())
def test_a_sum_spread_over_hours_is_the_sum(sample: Sample) -> None:
    assert sum(part for _, part in over_hours(sample, Combine.SUM)) == sample.quantity


@given(samples())
def test_a_level_counts_its_seconds(sample: Sample) -> None:
    assert sum(part for _, part in over_hours(sample, Combine.LEVEL)) == sample.quantity * (sample.end - sample.start)


@given(st.lists(samples(), max_size=12), st.sampled_from(Combine), st.randoms(use_true_random=False))
def test_the_order_of_readings_makes_no_difference(found: list[Sample], how: Combine, random: Random) -> None:
    shuffled = list(found)
    random.shuffle(shuffled)

    assert combine_days(shuffled, how) == combine_days(found, how)


@given(st.lists(samples(), max_size=12), st.sampled_from(Combine))
def test_every_reading_and_all_of_it_is_in_some_day(found: list[Sample], how: Combine) -> None:
    days = combine_days(found, how).values()

    assert sum(day.readings for day in days) == len(found)
    assert sum(sum(day.slots.values()) for day in days) == sum(
        part for each in found for _, part in over_hours(each, how)
    )


@given(st.lists(samples(), max_size=8), st.sampled_from(Combine))
def test_hours_of_quarters_are_the_hours(found: list[Sample], how: Combine) -> None:
    """What is kept by quarters adds up to the same; a level to the same hour by hour (a sum is spread more finely)."""
    rough, fine = combine_days(found, how), combine_days(found, how, by_quarter={0, 1, 2})

    assert rough.keys() == fine.keys()
    for key, day in fine.items():
        hours = Counter[int]()
        for quarter, quantity in day.slots.items():
            hours[quarter // 4] += quantity
        assert hours.keys() == rough[key].slots.keys()
        if how is Combine.LEVEL:
            assert dict(hours) == rough[key].slots
    assert sum(sum(day.slots.values()) for day in fine.values()) == sum(
        sum(day.slots.values()) for day in rough.values()
    )


marks = st.tuples(
    st.integers(1, 3), st.integers(1, 2), st.integers(0, 6).map(lambda n: date(2026, 2, 26) + timedelta(n))
)


@given(st.lists(marks, max_size=30))
def test_each_mark_is_in_one_span_and_nothing_else_is(found: list[tuple[int, int, date]]) -> None:
    covered = [
        (resource, span.meter, span.first + timedelta(days=number))
        for span in spans_of(found)
        for resource in span.resources
        for number in range((span.last - span.first).days + 1)
    ]

    assert sorted(covered) == sorted(set(found))
