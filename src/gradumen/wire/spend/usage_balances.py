"""Bodies of what became of usage."""

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class UsageBalanceBody(Body):
    """What became of a meter's usage, in base units: ``used`` is the sum of the next six, and ``difference`` 0.

    ``charged`` is charged for, ``covered`` by allowances, only ``watched``, charged ``together`` with the composite
    that it is of or as its components, ``no_rate`` is priced by no rate, and ``no_subscription`` taken by no
    subscription. ``difference`` is null where usage is sampled, or effective cost is sold: what is charged is no sum of
    it then.
    """

    meter: str
    meter_name: str
    unit: str
    used: DecimalText
    charged: DecimalText
    covered: DecimalText
    watched: DecimalText
    together: DecimalText
    no_rate: DecimalText
    no_subscription: DecimalText
    difference: DecimalText | None


class UsageBalancesBody(AsOf):
    """What became of all that a seller's customers, and all below them, used in a month of its billing zone."""

    seller: str
    period: str
    items: list[UsageBalanceBody]
