"""Bodies of measures: what quotas limit."""

from gradumen.core.quotas.measures import Counted, Kind
from gradumen.wire.values import Body


class MeasureCreate(Body):
    """A measure of a provider's own: what it is counted in, and how use of it is looked at.

    ``unit`` is a noun that meters count (seat) or a unit of bytes (GiB); ``kind`` is stock, monthly, daily or rate.
    What the service itself counts is a count, of what ``counts`` says; nobody gets more of it than a limit leaves.
    """

    measure: str
    unit: str
    kind: Kind
    counts: Counted | None = None


class MeasureBody(Body):
    """What quotas limit.

    ``metered`` says that meters count it, else the service itself; ``defined`` that the provider defined it, and
    ``counts`` of what it is where the service counts it.
    """

    measure: str
    unit: str
    kind: Kind
    metered: bool
    counts: Counted | None = None
    defined: bool
