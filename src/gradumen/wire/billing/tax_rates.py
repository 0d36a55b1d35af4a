"""Bodies of tax rates."""

from datetime import date

from gradumen.wire.values import Body, DecimalText


class TaxRateBody(Body):
    """A seller's tax on buyers of a country, from a day on."""

    country: str
    starts_on: date
    category: str
    percent: DecimalText
