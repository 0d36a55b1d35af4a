"""Packed readings are what they were, to the last digit and second."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.exact import unscaled
from gradumen.core.metering.archives import COLUMNS, in_groups, nothing, pack, unpack

number = st.integers(0, 2**62)
moment = st.datetimes(datetime(1990, 1, 1), datetime(2090, 1, 1)).map(lambda at: at.replace(microsecond=0))  # noqa: DTZ001  # as the driver gives them
quantity = st.integers(0, 10**38 - 1).map(lambda millionths: unscaled(millionths, 6))
row = st.tuples(
    number, number, moment, number, number, moment, number, number, st.text(max_size=20), number, quantity,
    st.none() | number,
)  # fmt: skip


@given(st.lists(row, max_size=20))
def test_what_was_packed_comes_out(rows: list[tuple[object, ...]]) -> None:
    frame = unpack(pack(rows))
    assert dict(frame.schema) == COLUMNS
    bare = [
        tuple(each.replace(tzinfo=None) if isinstance(each, datetime) else each for each in one) for one in frame.rows()
    ]
    assert bare == rows
    assert all(each.tzinfo is not None for each in frame["start"])


def test_what_does_not_fit_is_refused() -> None:
    at = datetime(2026, 9, 1)  # noqa: DTZ001  # as the driver gives them
    with pytest.raises(ValueError, match="cannot hold"):
        pack([(1, 2, at, 9, 1, at, 4, 5, "e", 0, Decimal("1.00000000000000000000000000E+32"), None)])


def test_groups_are_of_what_stands_by_first_and_last_day() -> None:
    start = datetime(2026, 9, 1, 23, tzinfo=UTC)
    frame = unpack(
        pack(
            [
                (1, 2, at.replace(tzinfo=None), 9, place, (at + lasts).replace(tzinfo=None), 4, 5, "e", 0, 1, gone)
                for place, (at, lasts, gone) in enumerate(
                    [
                        (start, timedelta(hours=1), None),
                        (start - timedelta(hours=9), timedelta(hours=1), None),
                        (start, timedelta(hours=2), None),
                        (start, timedelta(hours=2), 12),
                    ]
                )
            ]
        )
    )
    first = start.date()
    before = start - timedelta(hours=9)
    assert sorted(in_groups(frame, [])) == [
        (1, 2, 4, 5, first, first, 2, before),
        (1, 2, 4, 5, first, first + timedelta(days=1), 1, start),
    ]
    assert sorted(in_groups(frame, [start, start + timedelta(hours=1)])) == [
        (1, 2, 4, 5, first, first, 1, before),
        (1, 2, 4, 5, first, first, 1, start),
        (1, 2, 4, 5, first, first + timedelta(days=1), 1, start),
    ]
    assert in_groups(nothing(), [start]) == []
