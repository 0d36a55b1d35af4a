"""Bodies of prices that are about to change."""

from datetime import date, datetime

from gradumen.wire.catalogue.catalogue import DifferenceBody
from gradumen.wire.values import Body


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
