"""Bodies of subscriptions."""

from datetime import date
from uuid import UUID

from gradumen.wire.values import Body


class SubscriptionCreate(Body):
    """A tier of a plan for an organisation or one of its projects, from a day."""

    organisation: str
    project: str | None = None
    plan: str
    tier: str
    name: str
    quantity: int = 1
    starts_on: date
    ends_on: date | None = None
    rate_card: str | None = None
    trial_until: date | None = None


class SubscriptionChange(Body):
    """Another tier or quantity, or a pause, from a day on; null leaves as it is."""

    starts_on: date
    tier: str | None = None
    quantity: int | None = None
    paused: bool | None = None
    version: int | None = None


class StretchBody(Body):
    """What holds from a day until the next stretch."""

    starts_on: date
    tier: str
    quantity: int
    paused: bool
    trial: bool


class SubscriptionUpdate(Body):
    """The first day that the subscription does not cover; null takes it back."""

    ends_on: date | None
    version: int | None = None


class SubscriptionBody(Body):
    """A subscription."""

    id: UUID
    organisation: str
    project: str | None
    name: str
    plan: str
    plan_version: int
    tier: str
    quantity: int
    starts_on: date
    ends_on: date | None
    version: int
    stretches: list[StretchBody]
