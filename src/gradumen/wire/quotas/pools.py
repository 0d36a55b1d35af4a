"""Bodies of pools: capacity of a measure at a site."""

from uuid import UUID

from gradumen.wire.values import AsSet, Body, DecimalText, WholeNumber


class PoolCreate(Body):
    """Capacity of a measure at a site of one's own, in the measure's unit; ``behind`` is told to nobody else.

    ``factor`` is how many times over it is handed out. ``set_aside_for`` is the slug of the one below for whom alone it
    is, with all below that; null is for all.
    """

    site: UUID
    slug: str
    name: str
    measure: str
    capacity: DecimalText
    factor: DecimalText | None = None
    behind: str | None = None
    set_aside_for: str | None = None


class PoolUpdate(AsSet, Body):
    """What is to be changed of a pool, over the version that was read; what is left out stays."""

    version: WholeNumber
    name: str | None = None
    capacity: DecimalText | None = None
    factor: DecimalText | None = None
    behind: str | None = None
    set_aside_for: str | None = None


class PoolBody(Body):
    """A pool of an organisation's own, with what of it is promised to those below.

    ``promised`` are limits of the pool itself, ``at_site`` all limits of the measure at its site; ``left`` is what of
    all pools of the measure at the site is free, negative where there is less by now than is promised.
    """

    id: UUID
    organisation: str
    site: UUID
    site_slug: str
    site_name: str
    slug: str
    name: str
    measure: str
    unit: str
    capacity: DecimalText
    factor: DecimalText
    behind: str | None
    set_aside_for: str | None
    promised: DecimalText
    at_site: DecimalText
    left: DecimalText
    version: int
