"""Bodies of measures: what quotas limit."""

from gradumen.core.quotas.measures import Kind
from gradumen.wire.values import Body


class MeasureCreate(Body):
    """A measure of a provider's own: what it is counted in, and how use of it is looked at.

    ``unit`` is a noun that meters count (seat) or a unit of bytes (GiB); ``kind`` is stock, monthly, daily or rate.
    """

    measure: str
    unit: str
    kind: Kind


class MeasureBody(Body):
    """What quotas limit.

    ``metered`` says that meters count it, else the service itself; ``defined`` that the provider defined it.
    """

    measure: str
    unit: str
    kind: Kind
    metered: bool
    defined: bool
