"""Bodies of which tiers are sold."""

from datetime import date

from gradumen.wire.values import Body


class TierSaleUpdate(Body):
    """The first days on which a tier is not sold and not used any more; null takes them back."""

    withdrawn_on: date | None
    retired_on: date | None = None


class TierSaleBody(Body):
    """Until when a tier is sold and used, and how many subscriptions have it then."""

    plan: str
    tier: str
    withdrawn_on: date | None
    retired_on: date | None
    subscriptions: int
