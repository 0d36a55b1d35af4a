"""Bodies of how long resources were as feeds say, and of what was said of one."""

from datetime import datetime

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class SpellBody(Body):
    """An unbroken time of a resource, with one set of attributes, as far as it lies in a month.

    ``level`` in ``unit``: a part of it where several share the resource. ``from_before`` it was so before the month;
    ``goes_on`` it is still so as far as is known, else it was otherwise from ``end`` on, or gone; ``inferred_end``
    nobody said so, but a later list of all that is there misses it.
    """

    resource: str
    meter: str
    meter_name: str
    project: str
    project_name: str
    attributes: dict[str, str]
    level: DecimalText
    unit: str
    start: datetime
    end: datetime
    from_before: bool
    goes_on: bool
    inferred_end: bool


class SaidBody(Body):
    """What a feed said of a resource: its level from a moment on, 0 where it is gone; for members of its seller."""

    at: datetime
    meter: str
    level: DecimalText
    unit: str
    attributes: dict[str, str]
    feed: str
    source: str
    event_id: str
    owner: str | None
    account: str | None
    received_at: datetime


class SpellsBody(AsOf):
    """Spells of a month, by resource and in time; ``more`` when the limit cut them off. What was ``said`` is of one."""

    organisation: str
    period: str
    items: list[SpellBody]
    said: list[SaidBody]
    more: bool
