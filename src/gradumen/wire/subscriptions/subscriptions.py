"""Bodies of subscriptions."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from gradumen.wire.values import Body, WholeNumber, YesOrNo


class SubscriptionCreate(Body):
    """A tier of a plan for an organisation or one of its projects, from a day."""

    organisation: str
    project: str | None = None
    plan: str
    tier: str
    name: str
    quantity: WholeNumber = 1
    starts_on: date
    ends_on: date | None = None
    rate_card: str | None = None
    trial_until: date | None = None
    choices: dict[str, str] | None = None
    accepted_terms: str | None = None


class SubscriptionChange(Body):
    """Another tier, quantity or plan version, a pause or other choices, from a day on; null leaves as it is."""

    starts_on: date
    tier: str | None = None
    quantity: WholeNumber | None = None
    paused: YesOrNo | None = None
    plan_version: WholeNumber | None = None
    choices: dict[str, str] | None = None
    accepted_terms: str | None = None
    version: WholeNumber | None = None


class SpecialTermsAgree(Body):
    """A rate card, allowances or service levels for this subscription alone, on one seller's link, from a day on.

    An empty ``rate_card`` goes back to the one by the seller's rules, empty ``special_terms`` to the tier's; null
    leaves as it is.
    """

    seller: str
    starts_on: date
    rate_card: str | None = None
    special_terms: dict[str, Any] | None = None
    version: WholeNumber | None = None


class StretchBody(Body):
    """What holds from a day until the next stretch."""

    starts_on: date
    plan_version: int
    tier: str | None
    quantity: int
    paused: bool
    trial: bool
    choices: dict[str, str]
    special_terms: dict[str, Any]


class AcceptedTermsBody(Body):
    """Who accepted which version of the plan's terms, and when."""

    plan_version: int
    terms: str
    accepted_by: str
    accepted_at: datetime


class SubscriptionUpdate(Body):
    """The first day that the subscription does not cover; null takes it back."""

    ends_on: date | None
    version: WholeNumber | None = None


class SubscriptionBody(Body):
    """A subscription; ended today, it ends on ``earliest_end``, after ``notice_by`` on a later day.

    Plan, tier and choices of a seller's own making are null or left out for those above that seller.
    """

    id: UUID
    organisation: str
    project: str | None
    name: str
    plan: str | None
    plan_version: int
    tier: str | None
    quantity: int
    starts_on: date
    ends_on: date | None
    earliest_end: date
    notice_by: date | None
    version: int
    stretches: list[StretchBody]
    accepted: list[AcceptedTermsBody]


class SpecialTermsBody(Body):
    """Where a subscription differs from its tier, its plan's newest version or the seller's rules.

    ``kind`` is rate_card, allowance, level, plan_version or assignment.
    """

    organisation: str
    organisation_name: str
    subscription: str
    kind: str
    what: str
    standard: str | None
    own: str
    starts_on: date
