"""Bodies of offers."""

from datetime import datetime

from gradumen.wire.catalogue.forms.offers import OfferForm
from gradumen.wire.values import Body


class OfferBody(Body):
    """What a seller offers of a plan, in its written form; ``lapsed`` are tiers that it may not sell any more."""

    seller: str
    plan: str
    version: int
    published_at: datetime
    form: OfferForm
    lapsed: list[str]
