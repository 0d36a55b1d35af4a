"""Bodies of organisations, projects and quotas."""

from uuid import UUID

from gradumen.wire.values import Body, DecimalText, WholeNumber


class OrganisationCreate(Body):
    """A reseller or tenant under a seller."""

    parent: str
    type: str
    slug: str
    name: str
    country: str
    currency: str
    billing_zone: str = "UTC"
    cost_centre: str | None = None
    segment: str | None = None


class OrganisationUpdate(Body):
    """What kind of customer a buyer is, in its seller's words; null is none."""

    segment: str | None


class OrganisationBody(Body):
    """An organisation; ``parent`` is null at the edge of what the caller sees."""

    id: UUID
    type: str
    slug: str
    name: str
    country: str
    currency: str
    billing_zone: str
    cost_centre: str | None
    segment: str | None
    parent: str | None
    role: str | None


class ProjectCreate(Body):
    """A project of an organisation."""

    slug: str
    name: str
    cost_centre: str | None = None


class ProjectBody(Body):
    """A project."""

    id: UUID
    organisation: str
    slug: str
    name: str
    cost_centre: str | None


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
