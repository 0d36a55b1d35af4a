"""Bodies of a month's margin."""

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class CostBody(Body):
    """What something cost; ``source`` is the supplier, of own services the seller itself."""

    source: str
    currency: str
    amount: DecimalText


class MonthMarginBody(Body):
    """What a buyer was charged for a service (or a plan's fees), net of tax, and what that cost.

    ``service`` is empty for fees of plans that a customer made itself.

    ``margin`` is null where a cost is in another currency; ``percent`` also where nothing was charged.
    """

    buyer: str
    buyer_name: str
    service: str
    service_name: str
    currency: str
    charged: DecimalText
    costs: list[CostBody]
    margin: DecimalText | None
    percent: DecimalText | None


class MonthMarginsBody(AsOf):
    """What a seller charged in a period beside its costs; ``cost_not_known``: own meters without a price of cost."""

    seller: str
    period: str
    rows: list[MonthMarginBody]
    cost_not_known: list[str]
