"""Usage that the service fetches itself: which hours are due, and what the samples of a series come to."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum
from fnmatch import fnmatchcase
from itertools import pairwise

from gradumen.core.errors import Invalid
from gradumen.core.exact import NUMBER, QUANTITY_PLACES, add, round_half_up

HOUR = timedelta(hours=1)
MOST_SAMPLE = Decimal(10) ** 27
MOST_WINDOWS = 48
"""Hours that one run fetches at most; the next one goes on at once."""
LEAST_EVERY, MOST_EVERY = 5, 24 * 60
"""Minutes between two runs."""
MOST_FILES = 50
"""Files that one run takes at most; the next one goes on at once."""
MOST_SETTLES = 24 * 60
"""Minutes that an hour rests before it is fetched, at most."""
BEFORE = HOUR
"""So long before an hour a counter's samples are looked at, for the one from which its increase is counted."""


class PullKind(StrEnum):
    """What is asked."""

    PROMETHEUS = "prometheus"
    """A server with the HTTP API of Prometheus (`query_range`)."""
    OPENSTACK_METRICS = "openstack metrics"
    """The metric service of an OpenStack cloud, by its identity service."""
    OPENSTACK_SERVERS = "openstack servers"
    """The servers of an OpenStack cloud's compute service, by its identity service."""
    DIRECTORY = "directory"
    """Files in a directory of the service's machine that the operator opens to the seller."""
    OBJECTS = "object store"
    """Files in a bucket of a store that speaks the S3 protocol."""

    @property
    def measured(self) -> bool:
        """Whether it is asked what was there, by queries; else it has files."""
        return self.hourly or self is PullKind.OPENSTACK_SERVERS

    @property
    def hourly(self) -> bool:
        """Whether it is asked hour by hour; else all that is new by now is asked for at once."""
        return self in (PullKind.PROMETHEUS, PullKind.OPENSTACK_METRICS)


class How(StrEnum):
    """What the numbers of a series are."""

    COUNTER = "counter"
    """They only rise; a lower one has begun anew from zero. What it rose by in an hour is a quantity."""
    LEVEL = "level"
    """Each holds until the next sample is due, and no longer: where samples are missing there was nothing."""
    HELD = "held"
    """What each is holds until it changes: what is told of servers."""


COUNTED = {"servers": "piece", "vcpus": None, "ram": "MiB", "disk": "GiB"}
"""What may be counted of servers, each with its unit; of processors the meter says what is counted."""


Window = tuple[datetime, datetime]
"""A whole UTC hour."""
Sample = tuple[datetime, Decimal]
"""A moment and the value at it, as `sample_value` reads that."""


Series = tuple[Mapping[str, str], list[tuple[datetime, object]]]
"""The labels of a series and its samples, as they were answered."""


def file_fits(names: str, since: datetime, name: str, modified: datetime) -> bool:
    """Whether a file is one of those that are fetched: by its name, ``*`` standing for any text, and by its age.

    >>> from datetime import UTC
    >>> day = datetime(2026, 11, 28, tzinfo=UTC)
    >>> file_fits("*.csv", day, "a.csv", day), file_fits("*.csv", day, "a.txt", day)
    (True, False)
    """
    return fnmatchcase(name, names) and modified >= since


def sample_value(raw: object) -> Decimal:
    """A sample as a source writes it, a number in a text; to a millionth, so that differences of samples are exact.

    Raises:
        Invalid: it is no number, infinite, negative, or too large for a quantity.

    >>> sample_value("0.30000000000000004"), sample_value("1e3")
    (Decimal('0.300000'), Decimal('1000.000000'))
    """
    if not isinstance(raw, str) or not NUMBER.fullmatch(raw) or len(raw) > 60:
        raise Invalid(f"'{str(raw)[:40]}' is no number that can be a quantity", field="value", value=raw)
    value = Decimal(raw)
    if value < 0 or value >= MOST_SAMPLE:
        raise Invalid(f"{raw} is negative or too large for a quantity", field="value", value=raw)
    return round_half_up(value, QUANTITY_PLACES)


def hour_of(moment: datetime) -> datetime:
    """The beginning of a moment's hour."""
    return moment.replace(minute=0, second=0, microsecond=0)


def due_windows(complete_until: datetime, now: datetime, settles: timedelta) -> list[Window]:
    """The whole hours that are over, have rested, and are not fetched yet; the oldest, at most `MOST_WINDOWS`.

    >>> from datetime import UTC
    >>> at = datetime(2026, 11, 28, 3, 10, tzinfo=UTC)
    >>> [start.hour for start, _ in due_windows(at.replace(hour=1, minute=0), at, timedelta(minutes=10))]
    [1, 2]
    >>> [start.hour for start, _ in due_windows(at.replace(hour=1, minute=0), at, timedelta(minutes=11))]
    [1]
    """
    end = hour_of(now - settles)
    count = max(0, min(MOST_WINDOWS, (end - complete_until) // HOUR))
    return [(complete_until + HOUR * each, complete_until + HOUR * (each + 1)) for each in range(count)]


def check_step(seconds: int) -> None:
    """Samples are asked for at equal steps that fill an hour.

    Raises:
        Invalid: they do not.
    """
    if not 15 <= seconds <= 3600 or 3600 % seconds:
        raise Invalid(
            f"step_seconds is 15 to 3600 and divides an hour, like 60 or 300; got {seconds}",
            field="step_seconds",
            value=seconds,
        )


def rise(samples: Sequence[Sample], start: datetime, end: datetime) -> Decimal:
    """What a counter rose by in an hour: of each pair of samples, the later in ``(start, end]``, the difference.

    So hours that follow each other add up to the whole, whatever is asked in how many runs. A lower sample began anew
    from zero (the convention of Prometheus' ``increase``, without its extrapolation); across missing samples the
    counter rose all the same. The first sample of all says nothing about what was before.

    >>> from datetime import UTC
    >>> at = datetime(2026, 11, 28, 3, tzinfo=UTC)
    >>> half = timedelta(minutes=30)
    >>> seen = [(at, Decimal(10)), (at + half, Decimal(25)), (at + HOUR, Decimal(4))]
    >>> rise(seen, at, at + HOUR)
    Decimal('19')
    """
    inside = [(before, value) for (_, before), (at, value) in pairwise(samples) if start < at <= end]
    return add([value if value < before else add([value, -before]) for before, value in inside])


Spell = tuple[datetime, datetime, Decimal]


def spells(samples: Sequence[Sample], start: datetime, end: datetime, step: timedelta) -> list[Spell]:
    """The spells of an hour in which a level was the same: each sample in ``[start, end)`` holds for one step.

    >>> from datetime import UTC
    >>> at = datetime(2026, 11, 28, 3, tzinfo=UTC)
    >>> minute = timedelta(minutes=1)
    >>> seen = [(at, Decimal(2)), (at + minute, Decimal(2)), (at + 5 * minute, Decimal(2))]
    >>> [((until - since) // minute, level) for since, until, level in spells(seen, at, at + HOUR, minute)]
    [(2, Decimal('2')), (1, Decimal('2'))]
    """
    found: list[Spell] = []
    for at, value in samples:
        if not start <= at < end:
            continue
        if found and found[-1][1] == at and found[-1][2] == value:
            found[-1] = (found[-1][0], at + step, value)
        else:
            found.append((at, at + step, value))
    return found
