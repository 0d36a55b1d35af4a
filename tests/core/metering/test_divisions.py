"""Divided usage: whatever is shared, hour by hour the parts are the whole, and each reading counts once."""

from collections import Counter
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine
from gradumen.core.metering.feed_balances import Balance, Became, Place, balances, became_of
from gradumen.core.metering.usage import DAY_SECONDS, HOUR_SECONDS, Divisions, Sample, UsageDay, combine_days

SHARES = [((1, 1),), ((1, 3), (2, 1)), ((2, 1), (3, 1), (4, 5)), ((4, 7), (1, 2))]
SAMPLES = st.lists(
    st.tuples(
        st.integers(0, 3), st.integers(1, 2), st.integers(0, DAY_SECONDS), st.integers(1, 9000), st.integers(0, 10**9)
    ),
    max_size=8,
)


def by_hour(days: dict[tuple[int, int, int, int], UsageDay]) -> Counter[tuple[int, int, int]]:
    found: Counter[tuple[int, int, int]] = Counter()
    for (_, resource, day, _), usage in days.items():
        for slot, quantity in usage.slots.items():
            found[resource, day, slot // 4 if usage.by_quarter else slot] += quantity
    return found


@given(SAMPLES, st.sets(st.integers(1, 4)), st.randoms())
def test_the_parts_of_each_hour_are_the_whole(
    rows: list[tuple[int, int, int, int, int]], quarters: set[int], random: Random
) -> None:
    divisions = Divisions()
    samples = [
        Sample(divisions.number(SHARES[kind]), resource, 1, start, start + length, quantity)
        for kind, resource, start, length, quantity in rows
    ]
    kept = divisions.by_quarter(quarters)
    days = combine_days(samples, Combine.SUM, kept)
    divided = divisions.divide(days, quarters)
    assert all(project > 0 for project, *_ in divided)
    assert by_hour(dict(divided)) == by_hour(dict(days))
    assert sum(day.readings for day in divided.values()) == len(samples)
    assert all(day.by_quarter == (project in quarters) for (project, *_), day in divided.items())
    assert all(max(day.slots, default=0) < (96 if day.by_quarter else 24) for day in divided.values())
    random.shuffle(samples)
    again = divisions.divide(combine_days(samples, Combine.SUM, kept), quarters)
    assert {key: (day.slots, day.readings) for key, day in again.items()} == {
        key: (day.slots, day.readings) for key, day in divided.items()
    }


def test_an_hour_of_one_unit_goes_to_the_first_of_equals() -> None:
    divisions = Divisions()
    number = divisions.number(((8, 1), (7, 1)))
    days = divisions.divide(combine_days([Sample(number, 1, 1, 0, HOUR_SECONDS, 1)], Combine.SUM))
    assert {project: day.slots for (project, *_), day in days.items()} == {8: {0: 1}, 7: {0: 0}}


PLACES = [("m", "a"), ("m", "b"), ("n", "a")]


@given(
    st.lists(st.tuples(st.integers(1, 3), st.sampled_from(PLACES), st.integers(0, 10**6)), max_size=8),
)
def test_what_is_covered_of_a_charge_is_split_and_sums(rows: list[tuple[int, Place, int]]) -> None:
    charges: Counter[int] = Counter()
    for charge, _, quantity in rows:
        charges[charge] += quantity
    covered = {charge: whole * 2 // 3 for charge, whole in charges.items()}
    found = became_of((charge, place, quantity, covered[charge]) for charge, place, quantity in rows)
    assert sum(each.covered for each in found.values()) == sum(covered.values())
    assert sum(each.charged + each.covered for each in found.values()) == sum(charges.values())


def test_what_does_not_add_up_is_a_difference() -> None:
    used = {(1, ("m", "a")): {"sold": 10, "nobodys": 1}, (1, ("m", "b")): {"sold": 5}}
    found = balances(used, {("m", "a"): Became(charged=9), ("m", "b"): Became(no_subscription=5)})[1, "m"]
    found.measured = 16
    assert found.difference == 1
    assert Balance(measured=3, elsewhere=3).difference == 0
