"""Which feed is before which, and what is left of a day to one that gives way."""

from datetime import date
from random import Random

import pytest

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Conflict
from gradumen.core.metering.feed_precedences import COMPARED, feeds_before, give_way, quarters_of
from gradumen.core.metering.usage import Sample, combine_days

MAY, JUNE, JULY = (date(2026, month, 1) for month in (5, 6, 7))


def test_feeds_are_before_those_that_give_way_to_others_that_do() -> None:
    found = feeds_before([(1, 2, JUNE), (2, 3, MAY), (3, 4, JULY), (5, 4, MAY), (1, 3, JULY)])
    assert found == {1: {2: JUNE, 3: JUNE, 4: JULY}, 2: {3: MAY, 4: JULY}, 3: {4: JULY}, 5: {4: MAY}}
    for pairs in ([(1, 1)], [(1, 2), (2, 1)], [(1, 2), (2, 3), (3, 1)], [(9, 1), (1, 2), (2, 1)]):
        with pytest.raises(Conflict, match="in a circle"):
            feeds_before([(feed, first, MAY) for feed, first in pairs])


@pytest.mark.parametrize("seed", range(20))
def test_nothing_is_lost_and_only_hours_that_another_measured_are_left(seed: int) -> None:
    random = Random(seed)

    def samples(count: int) -> list[Sample]:
        starts = [random.randrange(0, 172_800, random.choice([1, 900, 3600])) for _ in range(count)]
        return [
            Sample(
                random.randint(1, 3),
                random.randint(1, 2),
                1,
                start,
                start + random.randint(1, 30_000),
                random.randint(1, 99),
            )
            for start in starts
        ]

    own, by_quarter = samples(12), {1}
    measured = quarters_of(samples(3))
    days = combine_days(own, random.choice(list(Combine)), by_quarter)
    found = give_way(days, measured)
    assert sum(sum(day.slots.values()) for day in found.values()) == sum(
        sum(day.slots.values()) for day in days.values()
    )
    assert sum(day.readings for day in found.values()) == len(own)
    for (project, resource, number, _), day in found.items():
        for slot in day.slots:
            if project == COMPARED:
                continue
            each = 1 if day.by_quarter else 4
            first = number * 96 + slot * each
            assert not measured.get(resource, set()) & set(range(first, first + each))
    assert give_way(days, {}) == days
