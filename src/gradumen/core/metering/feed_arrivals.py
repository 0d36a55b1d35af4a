"""What comes in by a feed beside what usually does: whether it is late, and whether less or more came."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from statistics import median_high

DAYS = 14
"""Days before the last one from which is known what is usual."""
DAY = 24
LEAST_TIMES, LEAST_DAYS = 5, 3
"""Hours in which something came, and days, from which on it is known how often and how much does."""


class Pace(StrEnum):
    """How what comes in stands beside what usually does."""

    NOTHING = "nothing yet"
    LATE = "late"
    LESS = "less than usual"
    MORE = "more than usual"
    USUAL = "as usual"
    NEW = "too new to tell"


@dataclass(frozen=True, slots=True)
class Arrived:
    """What came of a feed: ``every`` so many hours it does, ``items`` in the last 24 hours, ``usual`` in such a day.

    None is not known yet.
    """

    pace: Pace
    every: int | None
    items: int
    usual: int | None


def arrived(hours: Mapping[int, int]) -> Arrived:
    """How what came in stands beside what usually does.

    A feed is late when nothing came for one and a half times as long as usually lies between two hours in which
    something does, and an hour. Half as much as usual in a day is less, twice as much is more.

    Args:
        hours: items that came, by how many hours ago; an hour with a delivery of nothing is one, too.

    >>> hourly = dict.fromkeys(range(1, 200), 10)
    >>> arrived(hourly).pace, arrived({each: 10 for each in hourly if each > 3}).pace, arrived({0: 7}).pace
    (<Pace.USUAL: 'as usual'>, <Pace.LATE: 'late'>, <Pace.NEW: 'too new to tell'>)
    >>> arrived(dict.fromkeys(range(0, 24 * 14, 24), 600) | {0: 100})
    Arrived(pace=<Pace.LESS: 'less than usual'>, every=24, items=100, usual=600)
    """
    if not hours:
        return Arrived(Pace.NOTHING, None, 0, None)
    when = sorted(hours)
    gaps = [later - earlier for earlier, later in pairwise(when)]
    every = median_high(gaps) if len(when) >= LEAST_TIMES else None
    days = [sum(hours.get(day * DAY + hour, 0) for hour in range(DAY)) for day in range(when[-1] // DAY + 1)]
    items, before = days[0], days[1 : DAYS + 1]
    usual = median_high(before) if len(before) >= LEAST_DAYS else None
    return Arrived(_pace(when[0], every, items, usual), every, items, usual)


def _pace(since: int, every: int | None, items: int, usual: int | None) -> Pace:
    if every is not None and 2 * since > 3 * every + 2:
        return Pace.LATE
    if every is None or usual is None:
        return Pace.NEW
    # Of what comes less often than daily a day has nothing.
    if usual and 2 * items < usual:
        return Pace.LESS
    return Pace.MORE if usual and items > 2 * usual else Pace.USUAL
