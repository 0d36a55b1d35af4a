"""Bodies of moves: an organisation buys from another seller from a day on."""

from datetime import date, datetime
from uuid import UUID

from gradumen.core.subscriptions.moves import MoveState
from gradumen.wire.quotas.quotas import HeldBody
from gradumen.wire.values import Body, DecimalText


class MoveCreate(Body):
    """Under which seller an organisation is to come, and from which day on, in the zone of the seller of both."""

    to: str
    starts_on: date
    reason: str
    check: bool = False
    """Only see what it would do, and what stands against it."""


class MovedSubscriptionBody(Body):
    """What becomes of a subscription: it goes on at the new seller's prices, or ends with the day before.

    Names of plan and tier, and what it costs a month by its fees, are null for those who do not see that link.
    """

    organisation: str
    organisation_name: str
    subscription: str
    plan: str | None
    tier: str | None
    monthly: DecimalText | None
    currency: str | None
    ends: bool


class MoveBody(Body):
    """A move: planned, done or withdrawn; ``id`` is null where it was only looked at.

    Sellers are named to those who see them. ``sentences`` say what it does, ``hindrances`` what stands against it.
    ``may_withdraw`` is whether the reader may take it back.
    """

    id: UUID | None
    organisation: str
    organisation_name: str
    from_seller: str | None
    from_name: str | None
    to_seller: str | None
    to_name: str | None
    starts_on: date
    starts_at: datetime
    state: MoveState
    reason: str | None
    planned_at: datetime
    may_withdraw: bool
    sentences: list[str]
    hindrances: list[str]
    subscriptions: list[MovedSubscriptionBody]
    limits: list[HeldBody]
