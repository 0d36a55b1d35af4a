"""Billing periods (calendar months in a seller's zone), hours and days. Intervals are half-open and in UTC."""

from calendar import monthrange
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from gradumen.core.errors import Invalid

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def zone_of(name: str) -> ZoneInfo:
    """The zone of that IANA name.

    Raises:
        Invalid: no such zone, or one whose offset is not a whole hour (usage is kept per UTC hour).

    >>> zone_of("Europe/London").key
    'Europe/London'
    """
    try:
        zone = ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise Invalid(
            f"billing zone '{name[:60]}' is not known; write it like Europe/London", field="billing_zone", value=name
        ) from None
    for month in (1, 7):
        offset = datetime(2026, month, 1, tzinfo=zone).utcoffset()
        if offset is None or offset % timedelta(hours=1):
            raise Invalid(
                f"billing zone '{name}' is not a whole number of hours from UTC; choose one that is",
                field="billing_zone",
                value=name,
            )
    return zone


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


def hour_number(moment: datetime) -> int:
    """The UTC hour in which a moment lies, counted from 1970.

    >>> hour_number(EPOCH + timedelta(hours=5, minutes=59))
    5
    """
    return int((moment - EPOCH) // timedelta(hours=1))


def hour_start(number: int) -> datetime:
    """The inverse of `hour_number`."""
    return EPOCH + timedelta(hours=number)


def months_after(day: date, months: int) -> date:
    """The same day of the month so many months later, or the month's last where it is shorter.

    >>> months_after(date(2026, 11, 30), 3)
    datetime.date(2027, 2, 28)
    """
    index = day.year * 12 + day.month - 1 + months
    year, month = index // 12, index % 12 + 1
    return date(year, month, min(day.day, monthrange(year, month)[1]))


def days_text(start: datetime, end: datetime) -> str:
    """A service period as its first and last day, for people.

    >>> from datetime import UTC
    >>> days_text(datetime(2026, 10, 1, tzinfo=UTC), datetime(2026, 11, 1, tzinfo=UTC))
    '2026-10-01 to 2026-10-31'
    """
    middle = timedelta(hours=12)
    return f"{(start + middle).date()} to {(end - middle).date()}"


def months_since(starts_on: date, today: date) -> list[date]:
    """The months from a day to today, and the one after, of which some is charged in advance."""
    period, last = Period(starts_on.year, starts_on.month), Period(today.year, today.month).next()
    months = []
    while period <= last:
        months.append(period.first_day)
        period = period.next()
    return months
