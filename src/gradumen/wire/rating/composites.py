"""Bodies of what is charged with composites, or as their components."""

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class CompositeUsageBody(Body):
    """Usage of a resource on a link that is charged with other usage of the same hours, in the meter's base unit.

    ``charged_as`` the ``whole``, it is of a component, and what its ``composite`` used is charged; as ``components``,
    it is of the composite itself, and what these used is. ``hours`` are those in which it is so.
    """

    composite: str
    charged_as: str
    resource: str
    meter: str
    meter_name: str
    unit: str
    quantity: DecimalText
    hours: int
    organisation: str
    organisation_name: str
    seller: str
    buyer: str


class CompositeUsagesBody(AsOf):
    """What of a month is charged with other usage to an organisation and by it; ``more`` when the limit cut it off."""

    organisation: str
    period: str
    items: list[CompositeUsageBody]
    more: bool
