"""Bodies of price margins."""

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


class PriceMarginsBody(Body):
    """The rates of a card that a seller sells by, with buy price and margin."""

    sells_by: str
    buys_by: str
    currency: str
    rates: list[MarginBody]
