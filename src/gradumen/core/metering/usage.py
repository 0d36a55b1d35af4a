"""From readings to usage: the quantity of each resource in each UTC hour, kept by day.

Where the clocks of somebody who looks at it are not on the full hour with UTC's, it is kept by quarters of an hour.
"""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import allocate
from gradumen.core.metering.ownership import NOBODY, ByUsage, Shares, Whose

HOUR_SECONDS = 3600
DAY_HOURS = 24
DAY_SECONDS = DAY_HOURS * HOUR_SECONDS
EPOCH_DAY = date(1970, 1, 1)
"""From which days are counted."""
QUARTERS = 4
"""Of an hour."""


@dataclass(frozen=True, slots=True)
class Sample:
    """What of a reading matters for usage; times in seconds from 1970, ``quantity`` in millionths of the base unit.

    Not ``counted`` is what goes on of a reading that is counted where it begins; an ``amount`` is of all its time,
    whatever its meter counts.
    """

    project: int
    resource: int
    attributes: int
    start: int
    end: int
    quantity: int
    counted: bool = True
    amount: bool = False

    def adds(self, combine: Combine) -> bool:
        """Whether its quantity is of all its time, and not a level that holds all that time."""
        return self.amount or combine is Combine.SUM


@dataclass(slots=True)
class UsageDay:
    """Usage of a UTC day by hour, or by quarter of an hour, of the day (``slots``), in millionths.

    ``readings`` counts those that begin in it.
    """

    slots: dict[int, int] = field(default_factory=dict)
    readings: int = 0
    by_quarter: bool = False


DayKey = tuple[int, int, int, int]
"""Project, resource, UTC day counted from 1970, attributes."""
DayShares = Mapping[tuple[ByUsage, int], Shares]
"""The shares of days, counted from 1970; nobody's where there are none (yet)."""


def over_hours(sample: Sample, combine: Combine, length: int = HOUR_SECONDS) -> list[tuple[int, int]]:
    """The sample's share of each UTC hour it touches, as (hour number, millionths of the usage unit).

    Args:
        length: of what is taken for an hour, in seconds.

    A sum, or an amount, is split by seconds so that the parts are the whole; a level counts level x seconds.

    >>> over_hours(Sample(1, 1, 1, 1800, 9000, 8), Combine.SUM)
    [(0, 2), (1, 4), (2, 2)]
    """
    start, end = sample.start, sample.end
    first, last = start // length, (end - 1) // length
    seconds = [min(end, (slot + 1) * length) - max(start, slot * length) for slot in range(first, last + 1)]
    if not sample.adds(combine):
        parts = [sample.quantity * each for each in seconds]
    else:
        parts = [sample.quantity] if first == last else allocate(sample.quantity, seconds)
    return list(zip(range(first, last + 1), parts, strict=True))


def combine_days(
    samples: Iterable[Sample], combine: Combine, by_quarter: Collection[int] = ()
) -> Mapping[DayKey, UsageDay]:
    """Add samples up by hour, per project, resource, day and attributes.

    The order of the samples makes no difference. An hour that a sample touches is there even where nothing was used.

    Args:
        by_quarter: projects whose usage is kept by quarters of an hour.

    >>> combine_days([Sample(7, 1, 2, 82_800, 90_000, 6)], Combine.SUM)  # doctest: +NORMALIZE_WHITESPACE
    {(7, 1, 0, 2): UsageDay(slots={23: 3}, readings=1, by_quarter=False),
     (7, 1, 1, 2): UsageDay(slots={0: 3}, readings=0, by_quarter=False)}
    """
    days: dict[DayKey, UsageDay] = {}
    for sample in samples:
        begins, fine = sample.counted, sample.project in by_quarter
        length = HOUR_SECONDS // QUARTERS if fine else HOUR_SECONDS
        for number, part in over_hours(sample, combine, length):
            day, slot = divmod(number, DAY_SECONDS // length)
            key = (sample.project, sample.resource, day, sample.attributes)
            found = days.setdefault(key, UsageDay(by_quarter=fine))
            found.slots[slot] = found.slots.get(slot, 0) + part
            found.readings += begins
            begins = False
    return days


class Divisions:
    """Shares among several, under numbers that stand for them in place of a project's."""

    def __init__(self) -> None:
        self._numbers: dict[Whose, int] = {}
        self._whose: dict[int, Whose] = {}

    def number(self, whose: Whose) -> int:
        """The number of shares; of a single project its own."""
        if not isinstance(whose, ByUsage) and len(whose) == 1:
            return whose[0][0]
        number = self._numbers.setdefault(whose, -1 - len(self._numbers))
        self._whose[number] = whose
        return number

    def shares(self, number: int, day: int | None = None, of_days: DayShares | None = None) -> Shares:
        """What a number stands for, on a day where that makes a difference; a project's own is all of it.

        >>> shares = Divisions()
        >>> shares.shares(shares.number(((7, 3), (8, 1)))), shares.shares(7)
        (((7, 3), (8, 1)), ((7, 1),))
        """
        whose = self._whose.get(number, ((number, 1),))
        if isinstance(whose, ByUsage):
            return (of_days or {}).get((whose, day or 0), ((NOBODY, 1),))
        return whose

    def by_usage(self, days: Iterable[DayKey]) -> dict[DayKey, ByUsage]:
        """Those of some days that are divided by usage, with how."""
        there = {number: whose for number, whose in self._whose.items() if isinstance(whose, ByUsage)}
        return {key: there[key[0]] for key in days if key[0] in there} if there else {}

    def by_quarter(self, projects: Collection[int]) -> set[int]:
        """The numbers whose usage is kept by quarters of an hour as that of one of their projects is, or may be."""
        own = {
            number
            for number, whose in self._whose.items()
            if (projects if isinstance(whose, ByUsage) else any(each in projects for each, _ in whose))
        }
        return own | set(projects)

    def divide(
        self, days: Mapping[DayKey, UsageDay], by_quarter: Collection[int] = (), of_days: DayShares | None = None
    ) -> Mapping[DayKey, UsageDay]:
        """The days with those of shares in the days of their projects: each hour is split so that the parts are it.

        A reading is counted once, with the first of them.

        >>> shares = Divisions()
        >>> number = shares.number(((7, 3), (8, 1)))
        >>> days = combine_days([Sample(number, 1, 2, 0, 3600, 6), Sample(8, 1, 2, 0, 3600, 10)], Combine.SUM)
        >>> for key, day in shares.divide(days).items():
        ...     print(key[0], day.slots, day.readings)
        8 {0: 11} 1
        7 {0: 5} 1
        """
        if not self._whose:
            return days
        found = {key: replace(day, slots=dict(day.slots)) for key, day in days.items() if key[0] not in self._whose}
        for key, day in days.items():
            if key[0] in self._whose:
                _divide_day(found, key, day, self.shares(key[0], key[2], of_days), by_quarter)
        return found


def _divide_day(
    found: dict[DayKey, UsageDay], key: DayKey, day: UsageDay, shares: Shares, by_quarter: Collection[int]
) -> None:
    weights = [weight for _, weight in shares]
    there = [found.setdefault((project, *key[1:]), UsageDay(by_quarter=project in by_quarter)) for project, _ in shares]
    there[0].readings += day.readings
    for slot, quantity in day.slots.items():
        for own, part in zip(there, allocate(quantity, weights), strict=True):
            place = slot // QUARTERS if day.by_quarter and not own.by_quarter else slot
            own.slots[place] = own.slots.get(place, 0) + part


@dataclass(frozen=True, slots=True)
class Span:
    """Resources whose usage of a meter is made for the same UTC days, from the first until the last of them."""

    meter: int
    first: date
    last: date
    resources: tuple[int, ...]


def spans_of(marks: Iterable[tuple[int, int, date]]) -> list[Span]:
    """Marks of resource, meter and day as spans: each mark is in one, and nothing else is.

    >>> day = date(2026, 10, 1)
    >>> spans_of([(1, 9, day), (1, 9, date(2026, 10, 2)), (2, 9, day)])
    ... # doctest: +NORMALIZE_WHITESPACE
    [Span(meter=9, first=datetime.date(2026, 10, 1), last=datetime.date(2026, 10, 2), resources=(1,)),
     Span(meter=9, first=datetime.date(2026, 10, 1), last=datetime.date(2026, 10, 1), resources=(2,))]
    """
    runs: dict[tuple[int, date, date], list[int]] = {}
    start: tuple[int, int, date] | None = None
    end = date.min
    for resource, meter, day in [*sorted(set(marks)), (-1, -1, date.max)]:
        if start is not None and (resource, meter) == start[:2] and day == end + timedelta(days=1):
            end = day
            continue
        if start is not None:
            runs.setdefault((start[1], start[2], end), []).append(start[0])
        start, end = (resource, meter, day), day
    return [Span(meter, first, last, tuple(found)) for (meter, first, last), found in runs.items()]
