"""Bodies of usage that is not priced."""

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class NotPricedUsageBody(Body):
    """Usage of an organisation that is alike, in the meter's base unit, and why nothing is charged for it.

    ``reason`` is ``no rate`` of the card prices it, with the ``attributes`` that it has, ``no subscription`` takes it,
    or of what quotas promise there is ``no limit`` to charge. ``examples`` are some of its resources.
    """

    meter: str
    meter_name: str
    unit: str
    reason: str
    organisation: str
    organisation_name: str
    attributes: dict[str, str]
    resources: int
    examples: list[str]
    quantity: DecimalText


class NotPricedUsagesBody(AsOf):
    """What of a month is not priced to a seller's customers; the largest first within a meter."""

    organisation: str
    period: str
    items: list[NotPricedUsageBody]
