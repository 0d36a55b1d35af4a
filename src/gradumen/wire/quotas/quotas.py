"""Bodies of quotas."""

from datetime import datetime

from gradumen.wire.values import Body, DecimalText, WholeNumber


class SoftLimit(Body):
    """What metered use may exceed for ``grace_days``, in the measure's unit; ``limit`` null takes it away."""

    limit: DecimalText | None
    grace_days: WholeNumber = 0


class QuotaGrant(Body):
    """A new limit, in the measure's unit; null is no limit. ``version`` is that of the quota looked at.

    What is left out stays as it is.
    """

    limit: DecimalText | None
    reservation: DecimalText | None = None
    factor: DecimalText | None = None
    label: str | None = None
    soft: SoftLimit | None = None
    version: WholeNumber | None = None


class QuotaBody(Body):
    """What a holder may have of a measure; ``limit`` null is no limit.

    ``kind`` is stock, monthly or daily (what flows in so long), or count (what the service counts itself).
    ``granted`` is passed on; ``own`` is what it has itself: what its own tiers promise, or what is counted of it.
    ``left`` is what of the limit (by its overbooking factor) neither is passed on, nor reserved or had. Metered use may
    exceed ``soft_limit`` for ``grace_days``. A project's limit lies ``inside`` that of a project above it, or is its
    organisation's to give.
    """

    organisation: str
    project: str | None
    measure: str
    unit: str
    kind: str
    limit: DecimalText | None
    reservation: DecimalText
    granted: DecimalText
    own: DecimalText
    left: DecimalText | None
    soft_limit: DecimalText | None
    grace_days: int | None
    label: str | None
    inside: str | None = None
    version: int


class HeldBody(Body):
    """A limit that goes with who moves, and what the seller to come has left beside it; null is no limit."""

    measure: str
    unit: str
    limit: DecimalText | None
    left: DecimalText | None


class QuotaChangeBody(Body):
    """What an organisation, or a project of it, might have of a measure from a moment on; null is no limit.

    ``site`` is the name of the one where, of all sites where it is null, ``pool`` that of a pool there. ``released`` is
    true where it was given back.
    """

    id: int
    project: str | None
    site: str | None
    pool: str | None
    measure: str
    unit: str
    limit: DecimalText | None
    released: bool
    changed_at: datetime
