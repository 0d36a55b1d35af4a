"""Usage packed by day."""

from collections import Counter
from datetime import UTC, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.metering.packed_days import MOST, Hours, pack, sum_hours, unpack, unpack_sums
from gradumen.core.periods import EPOCH, hour_start

days = st.lists(
    st.tuples(
        st.integers(0, 40_000),
        st.dictionaries(st.integers(0, 23), st.one_of(st.integers(0, 10**9), st.integers(0, MOST))),
    ),
    max_size=8,
)


@given(days)
def test_what_is_packed_comes_out_as_it_was(found: list[tuple[int, dict[int, int]]]) -> None:
    packed = [pack(hours) for _, hours in found]
    out = unpack([day for day, _ in found], [hours for hours, _ in packed], [slots for _, slots in packed])

    expected = [(row, day * 24 + hour, hours[hour]) for row, (day, hours) in enumerate(found) for hour in sorted(hours)]
    assert list(zip(out.row.tolist(), out.hour.tolist(), out.quantity.to_list(), strict=True)) == expected


@given(
    st.lists(
        st.tuples(
            st.integers(19_000, 30_000),
            st.dictionaries(st.integers(0, 95), st.integers(0, MOST), max_size=9),
            st.booleans(),
        ),
        max_size=6,
    ),
    st.sampled_from(["UTC", "Asia/Kolkata", "Asia/Kathmandu", "America/St_Johns", "Europe/Dublin"]),
)
def test_quarters_are_in_the_hours_of_a_zone(found: list[tuple[int, dict[int, int], bool]], name: str) -> None:
    """Days kept by hours and by quarters beside each other; each quarter is in the hour of the zone's clocks."""
    zone = ZoneInfo(name)
    packed, expected = [], []
    for row, (day, slots, fine) in enumerate(found):
        slots = slots if fine else {slot: each for slot, each in slots.items() if slot < 24}
        packed.append(pack(slots, by_quarter=fine))
        length = timedelta(hours=1) / (4 if fine else 1)
        for slot in sorted(slots):
            local = (EPOCH + timedelta(days=day) + slot * length).astimezone(zone)
            start = local.replace(minute=0, fold=local.fold).astimezone(UTC)
            expected.append((row, start, slots[slot]))
    out = unpack([each[0] for each in found], [each[0] for each in packed], [each[1] for each in packed], zone)

    starts = [hour_start(hour, zone) for hour in out.hour.tolist()]
    assert list(zip(out.row.tolist(), starts, out.quantity.to_list(), strict=True)) == expected


def test_quantities_that_are_too_few_are_told() -> None:
    hours, slots = pack({0: 1, 1: 2})
    with pytest.raises(Invalid, match="3 quantities for 4 hours"):
        unpack([0, 1], [hours, hours], [slots, slots[:16]])


@given(days, st.integers(0, 24 * 40_000), st.integers(0, 24 * 40_000))
def test_within_gives_the_hours_from_one_until_before_another(
    found: list[tuple[int, dict[int, int]]], start: int, end: int
) -> None:
    packed = [pack(hours) for _, hours in found]
    out = unpack([day for day, _ in found], [hours for hours, _ in packed], [slots for _, slots in packed])
    inside = out.within(start, end)

    kept = [(hour, each) for hour, each in zip(out.hour.tolist(), out.quantity.to_list(), strict=True)]
    assert list(zip(inside.hour.tolist(), inside.quantity.to_list(), strict=True)) == [
        (hour, each) for hour, each in kept if start <= hour < end
    ]


@given(days, st.sampled_from(["UTC", "Europe/Dublin", "Asia/Tokyo", "America/New_York"]))
def test_sums_of_hours_are_whole_and_on_their_local_days(found: list[tuple[int, dict[int, int]]], name: str) -> None:
    found = [(20_000 + day % 200, hours) for day, hours in found]
    packed = [pack({hour: quantity % 10**30 for hour, quantity in hours.items()}) for _, hours in found]
    out = unpack([day for day, _ in found], [hours for hours, _ in packed], [slots for _, slots in packed])
    kinds = [index % 3 for index in range(len(found))]
    expected = Counter[tuple[int, int]]()
    for (day, hours), kind in zip(found, kinds, strict=True):
        for hour, quantity in hours.items():
            local = hour_start(day * 24 + hour).astimezone(ZoneInfo(name)).date().toordinal()
            expected[kind, local] += quantity % 10**30

    sums = {(kind, day): quantity for kind, day, quantity in sum_hours(out, kinds, ZoneInfo(name))}
    assert sums == dict(expected)
    assert sum(quantity for _, _, quantity in sum_hours(out, kinds, None)) == sum(expected.values())


def test_what_a_day_cannot_hold_and_what_is_cut_short_is_refused() -> None:
    with pytest.raises(Invalid, match="out of range"):
        pack({3: MOST + 1})
    with pytest.raises(Invalid, match="out of range"):
        pack({3: -1})
    hours, slots = pack({3: 5, 4: 6})
    with pytest.raises(Invalid, match="1 quantities for 2 hours"):
        unpack([1], [hours], [slots[:16]])


@given(
    st.lists(
        st.tuples(
            st.integers(20_000, 20_002),
            st.dictionaries(st.integers(0, 23), st.one_of(st.integers(0, 10**9), st.integers(0, MOST))),
            st.integers(-1, 1),
        ),
        max_size=8,
    ),
    st.lists(st.sets(st.integers(480_000, 480_072)), min_size=2, max_size=2),
    st.booleans(),
    st.sampled_from(["UTC", "Asia/Kolkata"]),
)
def test_hours_between_cuts_are_added_up_but_those_that_stay_apart(
    found: list[tuple[int, dict[int, int], int]], cuts: list[set[int]], fine: bool, name: str
) -> None:
    zone = ZoneInfo(name)
    packed = [pack(hours, by_quarter=fine and row == 0) for row, (_, hours, _) in enumerate(found)]
    days, hours, slots = [each[0] for each in found], [each[0] for each in packed], [each[1] for each in packed]
    kinds = [each[2] for each in found]
    numbers = [np.array(sorted(each), dtype=np.int64) for each in cuts]
    out = unpack_sums(days, hours, slots, zone, numbers, np.array(kinds, dtype=np.int64))

    def place(row: int, hour: int) -> tuple[int, int, int]:
        return (row, -1, sum(cut <= hour for cut in cuts[kinds[row]])) if kinds[row] >= 0 else (row, hour, 0)

    def sums(hours: Hours) -> list[tuple[tuple[int, int, int], int]]:
        columns = zip(hours.row.tolist(), hours.hour.tolist(), hours.quantity.to_list(), strict=True)
        return [(place(row, hour), quantity) for row, hour, quantity in columns]

    expected: Counter[tuple[int, int, int]] = Counter()
    made: Counter[tuple[int, int, int]] = Counter()
    for key, quantity in sums(unpack(days, hours, slots, zone)):
        expected[key] += quantity
    for key, quantity in sums(out):
        made[key] += quantity
    assert made == expected
    # Without cuts on midnights of UTC a sum is of one of its days.
    added = [(key, hour // 24) for (key, _), hour in zip(sums(out), out.hour.tolist(), strict=True) if key[1] < 0]
    assert len(added) == len(set(added))
