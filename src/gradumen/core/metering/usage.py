"""From readings to usage: the quantity of each resource in each UTC hour."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import allocate
from gradumen.core.periods import EPOCH

HOUR_SECONDS = 3600


@dataclass(frozen=True, slots=True)
class Sample:
    """What of a reading matters for usage; ``quantity`` in millionths of the meter's base unit."""

    resource: str
    attributes: int
    start: datetime
    end: datetime
    quantity: int


def spread(sample: Sample, combine: Combine) -> list[tuple[int, int]]:
    """The sample's share of each UTC hour it touches, as (hour number, millionths of the usage unit).

    A sum is split by seconds so that the parts are the whole; a level counts level x seconds.
    """
    start = int((sample.start - EPOCH).total_seconds())
    end = int((sample.end - EPOCH).total_seconds())
    first, last = start // HOUR_SECONDS, (end - 1) // HOUR_SECONDS
    seconds = [min(end, (hour + 1) * HOUR_SECONDS) - max(start, hour * HOUR_SECONDS) for hour in range(first, last + 1)]
    if combine is Combine.LEVEL:
        parts = [sample.quantity * length for length in seconds]
    else:
        parts = [sample.quantity] if first == last else allocate(sample.quantity, seconds)
    return list(zip(range(first, last + 1), parts, strict=True))


def combine_hours(samples: Iterable[Sample], combine: Combine) -> dict[tuple[int, str, int], tuple[int, int]]:
    """Add samples up per (hour, resource, attributes), as (millionths, count of readings that touch the hour).

    The order of the samples makes no difference.
    """
    hours: dict[tuple[int, str, int], tuple[int, int]] = {}
    for sample in samples:
        for hour, part in spread(sample, combine):
            key = (hour, sample.resource, sample.attributes)
            quantity, count = hours.get(key, (0, 0))
            hours[key] = (quantity + part, count + 1)
    return hours
