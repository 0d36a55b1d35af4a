"""What rows of cost files say was used: in whatever order and parts, the same readings, which add up to it."""

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta

from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.exact import divide_half_up, scaled
from gradumen.core.metering.cost_quantities import Unread, Used, in_sequence, not_yet, quantities
from gradumen.core.metering.readings import LONGEST, Reading
from gradumen.core.metering.usage import HOUR_SECONDS, Sample, combine_days, over_hours
from gradumen.core.units import parse_unit

DAY = date(2026, 9, 3)
BEGIN = datetime(2026, 9, 3, tzinfo=UTC)
ROWS = st.lists(
    st.builds(
        lambda resource, begins, lasts, quantity: Used(
            resource, "acc", "/s", (("service", "Machines"),), "Hours", BEGIN + timedelta(seconds=begins),
            BEGIN + timedelta(seconds=begins + lasts), quantity,
        ),
        st.sampled_from(["vm-1", "vm-2"]), st.sampled_from([0, 5400]),
        st.sampled_from([1, 3600, 86_400, 86_401, 31 * 86_400]), st.integers(-(10**13), 10**15),
    ),
    max_size=8,
)  # fmt: skip


def told(found: Iterable[Reading | Unread]) -> list[object]:
    return [(each.id, each.why.message) if isinstance(each, Unread) else each for each in found]


@settings(max_examples=200)
@given(ROWS, st.randoms())
def test_readings_are_the_sums_of_alike_rows_in_parts_of_a_day(rows: list[Used], chance: object) -> None:
    found = list(quantities("B-1", DAY, rows))
    shuffled = list(rows)
    chance.shuffle(shuffled)  # type: ignore[attr-defined]  # a Random
    assert told(quantities("B-1", DAY, shuffled)) == told(found)
    assert len({each.id for each in found}) == len(found)
    sums: dict[tuple[object, ...], int] = {}
    for each in rows:
        sums[each[:-1]] = sums.get(each[:-1], 0) + each.quantity
    whole = {key: divide_half_up(total, 10**6) for key, total in sums.items()}
    read = [each for each in found if isinstance(each, Reading)]
    assert sum(scaled(each.quantity, 6) for each in read) == sum(each for each in whole.values() if each >= 0)
    assert sum(isinstance(each, Unread) for each in found) == sum(each < 0 for each in whole.values())
    for each in read:
        assert timedelta(0) < each.end - each.start <= LONGEST and each.quantity >= 0
        parts = dict(each.attributes).get("part of")
        assert parts is None or each.start.date() == (each.end - timedelta(seconds=1)).date()
    lasting = sum((each.end - each.start for each in read), timedelta(0))
    spans = [(key[5], key[6]) for key, total in whole.items() if total >= 0]
    assert lasting == sum((end - start for start, end in spans), timedelta(0))  # type: ignore[operator]  # moments


def test_another_account_or_day_says_something_else_and_a_sequence_another_content() -> None:
    row = Used("vm-1", "acc", "/s", (("service", "a"), ("sku-meter", "b")), "Hours", BEGIN, BEGIN + LONGEST, 10**12)
    [one] = quantities("B-1", DAY, [row])
    [other] = quantities("B-2", DAY, [row])
    assert isinstance(one, Reading) and isinstance(other, Reading)
    assert one.id != other.id and (one.meter, one.quantity) == ("b", 1)
    later = in_sequence(one, 3)
    assert (later.sequence, later.id) == (3, one.id) and later.content != one.content == in_sequence(later, 0).content


def test_what_is_not_over_waits_and_the_next_of_it_is_said() -> None:
    rows = [
        Used("vm", "acc", "/s", (("service", "a"),), "Hours", BEGIN, BEGIN + timedelta(hours=hours), 1) for hours in (1, 5, 9)
    ]  # fmt: skip
    over, following = not_yet(rows, BEGIN + timedelta(hours=1))
    assert (over, following) == (rows[:1], rows[1].end)
    assert not_yet(rows, BEGIN + timedelta(hours=9)) == (rows, None)


@given(st.integers(0, 86_399), st.integers(1, 86_400), st.integers(0, 10**30), st.sampled_from([3600, 900]))
def test_an_amount_adds_up_to_itself_where_a_meter_counts_levels(
    start: int, lasts: int, quantity: int, length: int
) -> None:
    sample = Sample(1, 1, 1, start, start + lasts, quantity, amount=True)
    parts = over_hours(sample, Combine.LEVEL, length)
    assert parts == over_hours(sample, Combine.SUM, length) and sum(part for _, part in parts) == quantity
    both = combine_days([sample, Sample(1, 1, 1, start, start + lasts, 2)], Combine.LEVEL)
    assert sum(sum(day.slots.values()) for day in both.values()) == quantity + 2 * lasts


def test_a_unit_of_a_level_over_time_is_an_amount() -> None:
    meter = Meter("disk/kept", "Kept", parse_unit("byte-second"), Combine.LEVEL)
    unit, amount = meter.read_unit("GB-hour")
    assert (unit.factor, amount) == (10**9 * HOUR_SECONDS, True)
    unit, amount = meter.read_unit("GB")
    assert (unit.factor, amount) == (10**9, False)
    summed = Meter("net/out", "Out", parse_unit("byte"), Combine.SUM)
    assert summed.read_unit("MB") == (parse_unit("MB"), False)
