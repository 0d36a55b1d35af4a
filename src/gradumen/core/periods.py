"""Billing periods (calendar months in a seller's zone), hours and days. Intervals are half-open and in UTC."""

from calendar import monthrange
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from typing import NamedTuple
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from gradumen.core.errors import Invalid

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


QUARTER = timedelta(minutes=15)
HOUR = timedelta(hours=1)


@lru_cache(maxsize=1024)
def zone_of(name: str) -> ZoneInfo:
    """The zone of that IANA name.

    Raises:
        Invalid: no such zone, or one whose clocks change by other than whole hours, or are no whole number of quarters
            of an hour from UTC (usage is kept by hours that begin with those of the zone).

    >>> zone_of("Europe/London").key
    'Europe/London'
    """
    try:
        zone = ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Invalid(
            f"billing zone '{name[:60]}' is not known; write it like Europe/London", field="billing_zone", value=name
        ) from None
    offsets = [datetime(2026, month, 1, tzinfo=zone).utcoffset() or timedelta(0) for month in range(1, 13)]
    if any(offset % QUARTER or offset % HOUR != offsets[0] % HOUR for offset in offsets):
        raise Invalid(
            f"billing zone '{name}' changes its clocks by other than whole hours, or is not a whole number of quarters "
            "of an hour from UTC; choose one that is",
            field="billing_zone",
            value=name,
        )
    return zone


@lru_cache(maxsize=1024)
def beyond_hour(zone: ZoneInfo) -> timedelta:
    """By how much a zone's clocks are beyond the full hour when UTC's are on it.

    >>> beyond_hour(ZoneInfo("Asia/Kolkata")), beyond_hour(ZoneInfo("Europe/London"))
    (datetime.timedelta(seconds=1800), datetime.timedelta(0))
    """
    return (datetime(2026, 1, 1, tzinfo=zone).utcoffset() or timedelta(0)) % HOUR


@dataclass(frozen=True, slots=True, order=True)
class Period:
    """A calendar month, by its first day.

    >>> Period.parse("2026-10").next().text
    '2026-11'
    """

    year: int
    month: int

    @classmethod
    def parse(cls, text: str) -> "Period":
        """Read ``YYYY-MM``.

        Raises:
            Invalid: not a month.
        """
        try:
            if len(text) != 7:
                raise ValueError
            first = date.fromisoformat(f"{text}-01")
        except ValueError:
            raise Invalid(
                f"period '{text[:40]}' is not a month; write it like 2026-10", field="period", value=text
            ) from None
        return cls(first.year, first.month)

    @classmethod
    def containing(cls, moment: datetime, zone: ZoneInfo) -> "Period":
        """The period in which the moment lies, in that zone."""
        local = moment.astimezone(zone)
        return cls(local.year, local.month)

    @property
    def text(self) -> str:
        """As ``YYYY-MM``."""
        return f"{self.year:04d}-{self.month:02d}"

    @property
    def first_day(self) -> date:
        """Its first day."""
        return date(self.year, self.month, 1)

    def next(self) -> "Period":
        """The month after."""
        return Period(self.year + self.month // 12, self.month % 12 + 1)

    def before(self) -> "Period":
        """The month before."""
        return Period(self.year - (self.month == 1), (self.month - 2) % 12 + 1)

    def bounds(self, zone: ZoneInfo) -> tuple[datetime, datetime]:
        """Start and end in UTC; daylight saving makes some months an hour longer or shorter.

        >>> a, b = Period(2026, 10).bounds(ZoneInfo("Europe/London"))
        >>> (b - a) == timedelta(days=31, hours=1)
        True
        """
        return day_start(self.first_day, zone), day_start(self.next().first_day, zone)


def day_start(day: date, zone: ZoneInfo) -> datetime:
    """The first moment of a day in that zone, in UTC."""
    return datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)


def midnight(day: date) -> datetime:
    """The first moment of a day of UTC."""
    return datetime(day.year, day.month, day.day, tzinfo=UTC)


def hour_number(moment: datetime, zone: ZoneInfo | None = None) -> int:
    """The hour in which a moment lies, counted from 1970: an hour of UTC's, or of a zone's clocks.

    >>> hour_number(EPOCH + timedelta(hours=5, minutes=59))
    5
    >>> hour_number(EPOCH + timedelta(hours=5, minutes=30), ZoneInfo("Asia/Kolkata"))
    6
    """
    return int((moment - EPOCH + (beyond_hour(zone) if zone else timedelta(0))) // HOUR)


def hour_start(number: int, zone: ZoneInfo | None = None) -> datetime:
    """The inverse of `hour_number`."""
    return EPOCH + number * HOUR - (beyond_hour(zone) if zone else timedelta(0))


class LocalHours(NamedTuple):
    """Of hours one after another: the local day of each, by its ordinal, and its hour of the week from Monday 00:00."""

    days: tuple[int, ...]
    week_hours: tuple[int, ...]


@lru_cache(maxsize=64)
def local_hours(first: int, last: int, zone: ZoneInfo) -> LocalHours:
    """What a zone's clocks show in its hours from one up to another; periods are rated over and over.

    >>> friday = hour_number(datetime(2026, 7, 31, 22, tzinfo=UTC))
    >>> local_hours(friday, friday + 2, ZoneInfo("Europe/London")).week_hours
    (119, 120)
    """
    local = [hour_start(hour, zone).astimezone(zone) for hour in range(first, last)]
    return LocalHours(
        tuple(each.date().toordinal() for each in local), tuple(24 * each.weekday() + each.hour for each in local)
    )


def months_after(day: date, months: int) -> date:
    """The same day of the month so many months later, or the month's last where it is shorter.

    >>> months_after(date(2026, 11, 30), 3)
    datetime.date(2027, 2, 28)
    """
    index = day.year * 12 + day.month - 1 + months
    year, month = index // 12, index % 12 + 1
    return date(year, month, min(day.day, monthrange(year, month)[1]))


def day_that_begins(moment: datetime) -> date:
    """The local day that begins at a moment, whichever zone that is of: from ten hours behind UTC to 13:45 before it.

    >>> from datetime import UTC
    >>> day_that_begins(datetime(2026, 9, 30, 10, 15, tzinfo=UTC))
    datetime.date(2026, 10, 1)
    """
    return (moment + timedelta(hours=14) - timedelta.resolution).date()


def days_between(start: datetime, end: datetime) -> tuple[date, date]:
    """The first and last local day of a service period."""
    return day_that_begins(start), day_that_begins(end) - timedelta(days=1)


def days_text(start: datetime, end: datetime) -> str:
    """A service period as its first and last day, for people.

    >>> from datetime import UTC
    >>> days_text(datetime(2026, 10, 1, tzinfo=UTC), datetime(2026, 11, 1, tzinfo=UTC))
    '2026-10-01 to 2026-10-31'
    """
    first, last = days_between(start, end)
    return f"{first} to {last}"


def months_since(starts_on: date, today: date) -> list[date]:
    """The months from a day to today, and the one after, of which some is charged in advance."""
    period, last = Period(starts_on.year, starts_on.month), Period(today.year, today.month).next()
    months = []
    while period <= last:
        months.append(period.first_day)
        period = period.next()
    return months
