"""Bodies of quotas."""

from gradumen.wire.values import Body, DecimalText, WholeNumber


class QuotaGrant(Body):
    """A new limit, in the measure's unit; null is no limit. ``version`` is that of the quota looked at."""

    limit: DecimalText | None
    reservation: DecimalText | None = None
    factor: DecimalText | None = None
    label: str | None = None
    version: WholeNumber | None = None


class QuotaBody(Body):
    """What a holder has of a measure."""

    organisation: str
    project: str | None
    measure: str
    unit: str
    limit: DecimalText | None
    reservation: DecimalText
    granted: DecimalText
    left: DecimalText | None
    label: str | None
    version: int
