"""Bodies of limits at sites and of pools."""

from uuid import UUID

from gradumen.wire.values import Body, DecimalText


class SiteQuotaGrant(Body):
    """A limit of a measure at a site, in the measure's unit, or of a pool there; null takes it away.

    ``project`` is a project of the organisation; ``label`` is what the giver calls it.
    """

    limit: DecimalText | None
    pool: UUID | None = None
    project: str | None = None
    label: str | None = None


class SiteQuotaBody(Body):
    """What a holder may have of a measure at a site, or of a pool there; ``limit`` null is no limit of its own there.

    ``granted`` is passed on, ``left`` what is free; ``own`` where the site is the organisation's, so that its pools
    are the limit. A pool is called by its giver's label where there is one.
    """

    organisation: str
    project: str | None
    site: UUID
    site_slug: str
    site_name: str
    pool: UUID | None
    pool_name: str | None
    measure: str
    unit: str
    limit: DecimalText | None
    granted: DecimalText
    left: DecimalText | None
    label: str | None
    own: bool
