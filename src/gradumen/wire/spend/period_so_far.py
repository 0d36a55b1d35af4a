"""Bodies of the period so far."""

from datetime import date, datetime

from gradumen.wire.billing.invoices import LineBody
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class DayBody(Body):
    """The exact amount of a day."""

    day: date
    amount: DecimalText


class NotPricedBody(Body):
    """Usage that nothing prices, with the reason, in the meter's base unit."""

    meter: str
    organisation: str
    quantity: DecimalText
    reason: str


class LinkPeriodBody(Body):
    """One link's period; ``estimated`` is what of ``net`` is for costs that no supplier's file states yet."""

    seller: str
    seller_name: str
    buyer: str
    buyer_name: str
    currency: str
    period: str
    start: datetime
    end: datetime
    net: DecimalText
    estimated: DecimalText
    lines: list[LineBody]
    days: list[DayBody]
    not_priced: list[NotPricedBody]


class PairProblemBody(Body):
    """Why what a seller charges a buyer cannot be brought up to date; for the seller's own members."""

    seller: str
    buyer: str
    period: str
    problem: str


class PeriodSoFarBody(AsOf):
    """The period so far of an organisation: one entry per link that the caller may see."""

    organisation: str
    links: list[LinkPeriodBody]
    problems: list[PairProblemBody]
