"""Bodies of exchange rates."""

from datetime import date, datetime

from pydantic import Field

from gradumen.wire.values import Body, DecimalText


class ExchangeRateItem(Body):
    """From a day on one unit of ``currency`` is worth ``rate`` of ``into``; ``source`` is where that is from."""

    currency: str
    into: str
    starts_on: date
    rate: DecimalText
    source: str


class ExchangeRatesSet(Body):
    """Rates to add, or to put in the place of those of the same currencies and day."""

    rates: list[ExchangeRateItem] = Field(min_length=1, max_length=2000)


class ExchangeRateBody(ExchangeRateItem):
    """A rate, and when it was set."""

    set_at: datetime
