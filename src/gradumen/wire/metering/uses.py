"""Bodies of what is in use of what quotas limit."""

from datetime import date, datetime

from gradumen.wire.values import Body, DecimalText


class UseBody(Body):
    """How much of a measure is in use, by its ``kind``.

    Of a stock the mean over the newest whole hour (``hour``) that has any usage, null where none does; of what flows
    monthly or daily the sum so far in UTC, null where no meter counts it; of a count what there is.
    """

    measure: str
    unit: str
    kind: str
    quantity: DecimalText | None
    hour: datetime | None


class UseDayBody(Body):
    """How much of a measure was in use on a UTC day, and its limit at the end of it, null where none was set.

    Of a stock the day's mean; of what flows daily the day's sum, monthly the month's sum so far. Null where no meter
    counts it.
    """

    day: date
    quantity: DecimalText | None
    limit: DecimalText | None
