"""Bodies of what organisations are on paper."""

from pydantic import Field

from gradumen.wire.values import Body, WholeNumber


class BillingContactBody(Body):
    """Somebody whom documents are for, a user or not."""

    name: str
    email: str


class DetailsGiven(Body):
    """Who an organisation is on paper; null is not known. ``street`` has the lines above the town."""

    legal_name: str | None = None
    registration: str | None = None
    tax_id: str | None = None
    street: str | None = None
    postal_code: str | None = None
    town: str | None = None
    region: str | None = None
    email: str | None = None
    phone: str | None = None
    language: str | None = None
    billing_contacts: list[BillingContactBody] = Field(default_factory=list)


class DetailsUpdate(DetailsGiven):
    """All of it, in the place of what is there; ``version`` is that of what was read, null whatever it is."""

    version: WholeNumber | None = None


class DetailsBody(DetailsUpdate):
    """Who an organisation is on paper, and how to reach it.

    ``payer`` pays its documents; null is the organisation itself.
    ``notes`` are its seller's own, and null for all others.
    """

    organisation: str
    organisation_name: str
    country: str
    payer: str | None
    payer_name: str | None
    notes: str | None
    version: int
