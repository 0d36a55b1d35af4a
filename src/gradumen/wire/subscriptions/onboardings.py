"""Bodies of bringing customers on board: who one is, what it gets, who works with it."""

from datetime import date

from pydantic import Field

from gradumen.core.permissions import Role
from gradumen.wire.organisations.details import DetailsGiven
from gradumen.wire.values import Body, DecimalText, WholeNumber, YesOrNo

MOST = 20
"""Customers in one call."""


class OnboardingProject(Body):
    """A project that it begins with."""

    slug: str
    name: str
    cost_centre: str | None = None


class OnboardingPerson(Body):
    """Who is invited; the first is its administrator, and invites the others."""

    email: str
    role: Role = Role.ADMINISTRATOR


class OnboardingSubscription(Body):
    """A tier that it begins with; without a name it is called as the plan, without a day it begins today."""

    plan: str
    tier: str
    name: str | None = None
    quantity: WholeNumber = 1
    starts_on: date | None = None
    ends_on: date | None = None
    trial_until: date | None = None
    project: str | None = None
    choices: dict[str, str] | None = None
    accepted_terms: str | None = None


class OnboardingCreate(Body):
    """A new customer. What is left out follows from its seller, and from what its tiers promise.

    ``country``, ``currency`` and ``billing_zone`` are the seller's unless they are said; ``limits`` by measure (null is
    no limit) are what the tiers promise, wherever the seller itself has a limit.
    """

    slug: str
    name: str
    type: str = "tenant"
    country: str | None = None
    currency: str | None = None
    billing_zone: str | None = None
    cost_centre: str | None = None
    segment: str | None = None
    starts_on: date | None = None
    details: DetailsGiven | None = None
    limits: dict[str, DecimalText | None] = Field(default_factory=dict)
    projects: list[OnboardingProject] = Field(default_factory=list, max_length=50)
    people: list[OnboardingPerson] = Field(default_factory=list, max_length=1)
    subscriptions: list[OnboardingSubscription] = Field(default_factory=list, max_length=20)


class OnboardingsCreate(Body):
    """Customers that come on board together or not at all; with ``check`` it is only looked at whether they can."""

    customers: list[OnboardingCreate] = Field(min_length=1, max_length=MOST)
    check: YesOrNo = False


class MonthlyBody(Body):
    """What fees come to a month, in a currency."""

    currency: str
    amount: DecimalText


class OnboardedBody(Body):
    """A customer that came on board, or could: in sentences, with what its fees come to a month."""

    organisation: str
    name: str
    sentences: list[str]
    monthly: list[MonthlyBody]


class OnboardingsBody(Body):
    """What was done, or would be, customer by customer."""

    checked_only: bool
    items: list[OnboardedBody]
