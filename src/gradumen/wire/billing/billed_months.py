"""Bodies of months that are billed."""

from gradumen.wire.values import Body, DecimalText


class BilledMonthBody(Body):
    """What a buyer was billed for a month by issued documents, net of tax, in one currency."""

    period: str
    buyer: str
    buyer_name: str
    currency: str
    billed: DecimalText
