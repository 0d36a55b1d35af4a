"""Bodies of prices side by side, and of prices that are about to change."""

from datetime import date, datetime

from gradumen.wire.catalogue import DifferenceBody
from gradumen.wire.values import Body, DecimalText


class MarginBody(Body):
    """A rate beside the one by which the same is bought, per ``unit``; the first unit's prices and the cheapest's."""

    rate: str
    meter: str | None
    fee: str | None
    where: str
    unit: str
    sell: DecimalText
    sell_lowest: DecimalText
    buy_rate: str | None
    buy: DecimalText | None
    buy_lowest: DecimalText | None
    margin: DecimalText | None
    percent: DecimalText | None
    percent_lowest: DecimalText | None


class MarginsBody(Body):
    """The rates of a card that a seller sells by, with buy price and margin."""

    sells_by: str
    buys_by: str
    currency: str
    rates: list[MarginBody]


class PriceChangeBody(Body):
    """A version of a rate card that a buyer buys by, announced and not in force yet."""

    buyer: str
    seller: str
    rate_card: str
    name: str
    currency: str
    starts_on: date
    announced_at: datetime
    subscriptions: int
    differences: list[DifferenceBody]
