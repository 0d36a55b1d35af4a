"""Bodies of what today's rules price differently."""

from gradumen.wire.values import Body, DecimalText


class RatingDifferenceBody(Body):
    """A buyer's issued month that today's rules price differently; all net of tax, nothing is billed by it."""

    period: str
    buyer: str
    buyer_name: str
    currency: str
    billed: DecimalText
    today: DecimalText
    difference: DecimalText
