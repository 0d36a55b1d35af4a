"""Bodies of usage, and how current an answer is."""

from datetime import datetime

from gradumen.wire.values import Body, DecimalText


class AsOf(Body):
    """What came in up to ``as_of`` counts; ``waiting`` is true when something newer does not yet."""

    as_of: datetime
    waiting: bool


class UsageBody(Body):
    """Usage of a meter in its base unit, under one value of each chosen dimension; ``names`` is what people call it."""

    meter: str
    meter_name: str
    unit: str
    keys: dict[str, str]
    names: dict[str, str]
    quantity: DecimalText


class UsageSumsBody(AsOf):
    """Usage of a period; ``more`` when the limit cut it off."""

    organisation: str
    period: str
    items: list[UsageBody]
    more: bool
