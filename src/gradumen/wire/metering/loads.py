"""Bodies of how much of a resource was used hour by hour."""

from datetime import date, datetime

from gradumen.wire.metering.usage import AsOf
from gradumen.wire.values import Body, DecimalText


class LoadPointBody(Body):
    """The hour that begins at ``at``: its mean level, or what flowed in it."""

    at: datetime
    quantity: DecimalText


class LoadBody(Body):
    """What a meter says of a resource, in ``unit``: ``is_level`` means of hours, else amounts.

    ``highest`` and ``mean`` are of the hours that are there; hours of which nothing is said have no point. ``watched``:
    the meter is there to be looked at, and not to be charged.
    """

    meter: str
    meter_name: str
    unit: str
    is_level: bool
    watched: bool
    highest: DecimalText
    mean: DecimalText
    points: list[LoadPointBody]


class LoadsBody(AsOf):
    """The load of a resource on days of UTC, from ``first`` up to (not including) ``until``, by meter."""

    organisation: str
    resource: str
    first: date
    until: date
    items: list[LoadBody]
