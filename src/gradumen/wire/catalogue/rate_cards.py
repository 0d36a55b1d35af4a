"""Bodies of rate cards."""

from datetime import date
from uuid import UUID

from gradumen.wire.catalogue.forms.rate_cards import RateCardForm
from gradumen.wire.values import Body


class RateCardVersionBody(Body):
    """A version of a rate card, in its written form."""

    number: int
    starts_on: date
    in_force: bool
    form: RateCardForm


class RateCardBody(Body):
    """A rate card with its versions in the order of their days."""

    id: UUID
    seller: str
    slug: str
    name: str
    currency: str
    buyers: str
    versions: list[RateCardVersionBody]
