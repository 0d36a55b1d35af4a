"""From readings to usage: the quantity of each resource in each UTC hour, kept by day."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import allocate

HOUR_SECONDS = 3600
DAY_HOURS = 24


@dataclass(frozen=True, slots=True)
class Sample:
    """What of a reading matters for usage; times in seconds from 1970, ``quantity`` in millionths of the base unit."""

    project: int
    resource: int
    attributes: int
    start: int
    end: int
    quantity: int


@dataclass(slots=True)
class UsageDay:
    """Usage of a UTC day by hour of the day, in millionths; ``readings`` counts those that begin in it."""

    hours: dict[int, int] = field(default_factory=dict)
    readings: int = 0


DayKey = tuple[int, int, int, int]
"""Project, resource, UTC day counted from 1970, attributes."""


def spread(sample: Sample, combine: Combine) -> list[tuple[int, int]]:
    """The sample's share of each UTC hour it touches, as (hour number, millionths of the usage unit).

    A sum is split by seconds so that the parts are the whole; a level counts level x seconds.

    >>> spread(Sample(1, 1, 1, 1800, 9000, 8), Combine.SUM)
    [(0, 2), (1, 4), (2, 2)]
    """
    start, end = sample.start, sample.end
    first, last = start // HOUR_SECONDS, (end - 1) // HOUR_SECONDS
    seconds = [min(end, (hour + 1) * HOUR_SECONDS) - max(start, hour * HOUR_SECONDS) for hour in range(first, last + 1)]
    if combine is Combine.LEVEL:
        parts = [sample.quantity * length for length in seconds]
    else:
        parts = [sample.quantity] if first == last else allocate(sample.quantity, seconds)
    return list(zip(range(first, last + 1), parts, strict=True))


def combine_days(samples: Iterable[Sample], combine: Combine) -> Mapping[DayKey, UsageDay]:
    """Add samples up by hour, per project, resource, day and attributes.

    The order of the samples makes no difference. An hour that a sample touches is there even where nothing was used.

    >>> combine_days([Sample(7, 1, 2, 82_800, 90_000, 6)], Combine.SUM)
    {(7, 1, 0, 2): UsageDay(hours={23: 3}, readings=1), (7, 1, 1, 2): UsageDay(hours={0: 3}, readings=0)}
    """
    days: dict[DayKey, UsageDay] = {}
    for sample in samples:
        begins = True
        for number, part in spread(sample, combine):
            day, hour = divmod(number, DAY_HOURS)
            key = (sample.project, sample.resource, day, sample.attributes)
            found = days.setdefault(key, UsageDay())
            found.hours[hour] = found.hours.get(hour, 0) + part
            found.readings += begins
            begins = False
    return days


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
