"""Usage packed by day: which hours of a UTC day have usage, and their exact quantities, 16 bytes each.

Where it is kept by quarters of an hour, each hour that has usage has four of them, `_NONE` in those without.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import numpy.typing as npt
import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.metering.usage import DAY_HOURS, QUARTERS
from gradumen.core.periods import QUARTER, beyond_hour, local_hours

SLOT_BYTES = 16
_NONE = b"\xff" * SLOT_BYTES
MOST = (10**38 - 1) // (DAY_HOURS * QUARTERS)
"""The largest quantity of an hour or a quarter of one, in millionths: the day's total has 38 digits."""
Numbers = npt.NDArray[np.int64]


def pack(quantities: Mapping[int, int], *, by_quarter: bool = False) -> tuple[int, bytes]:
    """The hours of a day that have usage, as bits, and their quantities in millionths, in the order of the hours.

    Args:
        quantities: by the hour of the day, or by its quarters of an hour.

    Raises:
        Invalid: a quantity is negative, or the day's total could have more than 38 digits.

    >>> hours, slots = pack({1: 7, 0: 256})
    >>> hours, slots[:2], slots[16:18], len(slots)
    (3, b'\\x00\\x01', b'\\x07\\x00', 32)
    >>> hours, slots = pack({5: 7}, by_quarter=True)
    >>> hours, slots[16:18], len(slots)
    (2, b'\\x07\\x00', 64)
    """
    for quantity in quantities.values():
        if not 0 <= quantity <= MOST:
            raise Invalid(
                f"usage of {quantity} millionths in an hour is out of range", field="quantity", value=quantity
            )
    each = QUARTERS if by_quarter else 1
    used = sorted({slot // each for slot in quantities})
    found = (quantities.get(hour * each + quarter) for hour in used for quarter in range(each))
    slots = b"".join(_NONE if quantity is None else quantity.to_bytes(SLOT_BYTES, "little") for quantity in found)
    return sum(1 << hour for hour in used), slots


@dataclass(frozen=True, slots=True)
class Hours:
    """Hours that have usage: of which packed day (by index), the hour's number from 1970, millionths."""

    row: Numbers
    hour: Numbers
    quantity: pl.Series

    def within(self, start: int, end: int) -> "Hours":
        """Those from one hour until before another."""
        inside = np.flatnonzero((self.hour >= start) & (self.hour < end))
        return Hours(self.row[inside], self.hour[inside], self.quantity.gather(inside))


def unpack(days: Sequence[int], hours: Sequence[int], slots: Sequence[bytes], zone: ZoneInfo | None = None) -> Hours:
    """The inverse of `pack` for many days, in their order.

    Args:
        days: counted from 1970.
        zone: whose hours are meant, where they do not begin with those of UTC. Of what is kept by quarters an hour
            may be there up to four times.

    Returns:
        Quantities in 64 bits where all fit, else in 128.

    Raises:
        Invalid: there are not as many quantities as hours.
    """
    bits = np.asarray(hours, dtype=np.int64)[:, None] >> np.arange(DAY_HOURS) & 1
    row, hour = np.nonzero(bits) if len(days) else (np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64))
    whole = np.frombuffer(b"".join(slots), dtype="<u8")
    number = np.asarray(days, dtype=np.int64)[row] * DAY_HOURS + hour
    if len(whole) != 2 * len(row):
        row, number, whole = _quarters(row, number, whole, bits.sum(axis=1), slots, zone)
    low, high = whole[::2], whole[1::2]
    if not high.any() and not (low >> np.uint64(63)).any():
        return Hours(row, number, pl.Series("quantity", low.astype(np.int64)))
    wide = pl.DataFrame({"low": low, "high": high}).select(
        (pl.col("high").cast(pl.Int128) * pl.lit(1 << 64, dtype=pl.Int128) + pl.col("low").cast(pl.Int128)).alias(
            "quantity"
        )
    )
    return Hours(row, number, wide["quantity"])


def _quarters(
    row: Numbers,
    number: Numbers,
    whole: npt.NDArray[np.uint64],
    hours: Numbers,
    slots: Sequence[bytes],
    zone: ZoneInfo | None,
) -> tuple[Numbers, Numbers, npt.NDArray[np.uint64]]:
    """Rows, hours and quantities where some days are kept by quarters; a quarter is in the hour of a zone's clocks."""
    sizes = np.array([len(each) for each in slots], dtype=np.int64) // SLOT_BYTES
    each = np.where(sizes == hours, 1, QUARTERS)
    if np.any(sizes != hours * each):
        raise Invalid(f"packed usage has {int(sizes.sum())} quantities for {len(row)} hours", field="slots")
    times = each[row]
    ends = np.cumsum(times)
    quarter = np.arange(int(times.sum())) - np.repeat(ends - times, times)
    row, number = np.repeat(row, times), np.repeat(number, times)
    beyond = beyond_hour(zone) // QUARTER if zone else 0
    number = (number * QUARTERS + quarter + beyond) // QUARTERS
    pairs = whole.reshape(-1, 2)
    there = np.flatnonzero(~np.all(pairs == np.iinfo(np.uint64).max, axis=1))
    return row[there], number[there], pairs[there].ravel()


def unpack_sums(
    days: Sequence[int],
    hours: Sequence[int],
    slots: Sequence[bytes],
    zone: ZoneInfo | None,
    cuts: Sequence[Numbers],
    kinds: Numbers,
) -> Hours:
    """As `unpack`, but of packed days of which single hours make no difference those between two cuts are added up.

    Args:
        cuts: of each kind the numbers of the hours with which something may change, in order.
        kinds: of each packed day, which of these are its cuts; less than nought where its hours stay apart.

    Returns:
        In no order; ``hour`` is one of those between the cuts.

    >>> slots = pack({0: 5, 1: 6, 2: 7})[1]
    >>> found = unpack_sums([1, 1], [0b111, 0b111], [slots, slots], None, [np.array([26])], np.array([-1, 0]))
    >>> sorted(zip(found.row.tolist(), found.hour.tolist(), found.quantity.to_list()))
    [(0, 24, 5), (0, 25, 6), (0, 26, 7), (1, 24, 11), (1, 26, 7)]
    """
    found = [unpack([], [], [])]
    for kind in np.unique(kinds).tolist():
        rows = np.flatnonzero(kinds == kind)
        chosen = rows.tolist()
        packed = [days[row] for row in chosen], [hours[row] for row in chosen], [slots[row] for row in chosen]
        some = unpack(*packed, zone) if kind < 0 else _sums(*packed, zone, cuts[kind])
        found.append(Hours(rows[some.row], some.hour, some.quantity))
    wide = pl.Int128 if any(each.quantity.dtype == pl.Int128 for each in found) else pl.Int64
    return Hours(
        np.concatenate([each.row for each in found]),
        np.concatenate([each.hour for each in found]),
        pl.concat([each.quantity.cast(wide) for each in found]),
    )


def _sums(
    days: Sequence[int], hours: Sequence[int], slots: Sequence[bytes], zone: ZoneInfo | None, cuts: Numbers
) -> Hours:
    """What lies between two cuts of each packed day, added up."""
    bits, day = np.asarray(hours, dtype=np.int64), np.asarray(days, dtype=np.int64)
    counts = np.bitwise_count(bits).astype(np.int64)
    whole = np.frombuffer(b"".join(slots), dtype="<u8")
    if len(whole) != 2 * counts.sum():
        return _added_up(unpack(days, hours, slots, zone), cuts)
    before = np.cumsum(counts) - counts
    found: list[tuple[Numbers, Numbers, Numbers]] = []
    for each in np.unique(day).tolist():
        rows, first = np.flatnonzero(day == each), each * DAY_HOURS
        inside = cuts[(cuts > first) & (cuts < first + DAY_HOURS)] - first
        for start, end in pairwise([0, *inside.tolist(), DAY_HOURS]):
            used = rows[bits[rows] & ((1 << end) - (1 << start)) != 0]
            earlier = np.bitwise_count(bits[used] & ((1 << start) - 1))
            found.append((used, np.full(len(used), first + start), before[used] + earlier))
    row, hour, begin = (np.concatenate(each) for each in zip(*found, strict=True))
    order = np.argsort(begin)
    return Hours(row[order], hour[order], _sums_from(whole[::2], whole[1::2], begin[order]))


def _sums_from(low: npt.NDArray[np.uint64], high: npt.NDArray[np.uint64], begin: Numbers) -> pl.Series:
    """Sums of numbers in two words, from where each begins up to the next; of at most 2**5 each."""
    if not high.any() and int(low.max(initial=0)) < 1 << 58:
        return pl.Series("quantity", np.add.reduceat(low, begin).astype(np.int64))
    # A quantity has less than 2**121 (`MOST`): 32 of its halves of words, or of its upper words, are in 63 bits.
    halves = (low & np.uint64(0xFFFF_FFFF), low >> np.uint64(32), high)
    words = pl.DataFrame(
        [pl.Series(str(place), np.add.reduceat(half, begin).astype(np.int64)) for place, half in enumerate(halves)]
    )
    exact = [pl.col(str(place)).cast(pl.Int128) * pl.lit(1 << 32 * place, dtype=pl.Int128) for place in range(3)]
    return words.select(pl.sum_horizontal(exact).alias("quantity"))["quantity"]


def _added_up(hours: Hours, cuts: Numbers) -> Hours:
    frame = pl.DataFrame(
        {
            "row": hours.row,
            "hour": hours.hour,
            "cut": np.searchsorted(cuts, hours.hour, side="right"),
            "quantity": hours.quantity.cast(pl.Int128),
        }
    )
    summed = frame.group_by("row", "cut").agg(pl.col("hour").min(), pl.col("quantity").sum())
    return Hours(summed["row"].to_numpy(), summed["hour"].to_numpy(), summed["quantity"])


def sum_hours(hours: Hours, kinds: Sequence[int], zone: ZoneInfo | None) -> list[tuple[int, int, int]]:
    """Add hours up by the kind of their packed day, and by the local day in a zone where there is one.

    Args:
        kinds: of each packed day.

    Returns:
        Kind, local day (as an ordinal; 0 without zone), millionths; in no order.

    >>> hours = unpack([0], [0b11], [pack({0: 5, 1: 6})[1]])
    >>> sum_hours(hours, [9], None)
    [(9, 0, 11)]
    """
    if not len(hours.row):
        return []
    first, last = int(hours.hour.min()), int(hours.hour.max())
    if zone is None:
        days = np.zeros(last - first + 1, dtype=np.int64)
    else:
        days = np.array(local_hours(first, last + 1, zone).days, dtype=np.int64)
    frame = pl.DataFrame(
        {
            "kind": np.asarray(kinds, dtype=np.int64)[hours.row],
            "day": days[hours.hour - first],
            "quantity": hours.quantity.cast(pl.Int128),
        }
    )
    return frame.group_by("kind", "day").agg(pl.col("quantity").sum()).rows()


def sums_by_hour(hours: Hours, kinds: Sequence[int]) -> list[tuple[int, int, int]]:
    """Add up by the kind of their packed day, hour by hour.

    Args:
        kinds: of each packed day.

    Returns:
        Kind, hour's number, millionths; in no order.

    >>> hours = unpack([0, 0], [0b11, 0b10], [pack({0: 5, 1: 6})[1], pack({1: 2})[1]])
    >>> sorted(sums_by_hour(hours, [9, 9]))
    [(9, 0, 5), (9, 1, 8)]
    """
    if not len(hours.row):
        return []
    frame = pl.DataFrame(
        {
            "kind": np.asarray(kinds, dtype=np.int64)[hours.row],
            "hour": hours.hour,
            "quantity": hours.quantity.cast(pl.Int128),
        }
    )
    return frame.group_by("kind", "hour").agg(pl.col("quantity").sum()).rows()


def newest_hour(hours: Hours, kinds: Sequence[int], before: int) -> tuple[int, dict[int, int]] | None:
    """The newest hour before another that has usage, and what there is in it by the kind of its packed day.

    Args:
        kinds: of each packed day.
        before: an hour's number from 1970.

    Returns:
        The hour's number, and millionths by kind; None where no hour is.

    >>> hours = unpack([0, 0], [0b111, 0b11], [pack({0: 5, 1: 6, 2: 7})[1], pack({0: 1, 1: 2})[1]])
    >>> newest_hour(hours, [9, 4], before=2)
    (1, {9: 6, 4: 2})
    """
    whole = hours.within(0, before)
    if not len(whole.hour):
        return None
    newest = int(whole.hour.max())
    last = whole.within(newest, newest + 1)
    sums: dict[int, int] = {}
    for row, quantity in zip(last.row.tolist(), last.quantity.to_list(), strict=True):
        sums[kinds[row]] = sums.get(kinds[row], 0) + quantity
    return newest, sums
