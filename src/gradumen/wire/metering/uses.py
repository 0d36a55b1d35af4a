"""Bodies of what is in use of what quotas limit."""

from datetime import datetime

from gradumen.wire.values import Body, DecimalText


class UseBody(Body):
    """How much of a measure is in use: the mean over the newest whole hour that has any usage; null where none does."""

    measure: str
    unit: str
    quantity: DecimalText | None
    hour: datetime | None
