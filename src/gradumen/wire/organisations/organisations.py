"""Bodies of organisations."""

from uuid import UUID

from gradumen.wire.values import Body


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
    """An organisation as its viewer sees it; ``parent`` is null at the edge of what that viewer sees.

    ``children`` counts those it sells to.
    ``segment`` is its seller's word for the kind of customer, and shown to those who see the seller.
    """

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
    children: int
    role: str | None
