"""Bodies of organisations."""

from datetime import date
from uuid import UUID

from gradumen.wire.values import AsSet, Body


class OrganisationCreate(Body):
    """A reseller or tenant under a seller; with ``starts_on`` it is proposed until that day."""

    parent: str
    type: str
    slug: str
    name: str
    country: str
    currency: str
    billing_zone: str = "UTC"
    cost_centre: str | None = None
    segment: str | None = None
    starts_on: date | None = None


class OrganisationUpdate(AsSet, Body):
    """What is to change; what is left out stays.

    ``name`` and ``cost_centre`` are the organisation's and its seller's to say; ``segment`` (what kind of customer it
    is), ``tags``, ``notes`` and ``payer`` (another that the same seller sells to, or the seller itself; null is the
    organisation) its seller's.
    """

    name: str | None = None
    cost_centre: str | None = None
    segment: str | None = None
    tags: list[str] | None = None
    notes: str | None = None
    payer: str | None = None


class OrganisationBody(Body):
    """An organisation as its viewer sees it; ``parent`` is null at the edge of what that viewer sees.

    ``state`` is what holds for it: its own, or that of one above it. ``children`` counts those it sells to.
    ``segment`` is its seller's word for the kind of customer, ``tags`` are words that its seller finds it by; both are
    shown to the seller's members.
    """

    id: UUID
    type: str
    slug: str
    name: str
    country: str
    currency: str
    billing_zone: str
    state: str
    cost_centre: str | None
    segment: str | None
    tags: list[str]
    parent: str | None
    children: int
    role: str | None
