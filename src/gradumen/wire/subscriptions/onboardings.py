"""Bodies of bringing customers on board: who one is, what it gets, who works with it."""

from datetime import date, datetime
from uuid import UUID

from pydantic import Field

from gradumen.core.permissions import Role
from gradumen.core.subscriptions.onboardings import Answer, OnboardingState
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.messages import MailBody
from gradumen.wire.organisations.details import DetailsGiven
from gradumen.wire.tasks import TaskBody
from gradumen.wire.values import Body, DecimalText, WholeNumber, YesOrNo

MOST = 20
"""Customers in one call."""


class OnboardingProject(Body):
    """A project that it begins with."""

    slug: str
    name: str
    cost_centre: str | None = None


class OnboardingPerson(Body):
    """Who is invited; an administrator invites others later.

    ``services`` are those of which the person orders plans; null is all. With ``cloud_user`` it becomes a user of the
    accounts whose people do. ``programs`` are those whose tokens it collects once it joined.
    """

    email: str
    role: Role = Role.ADMINISTRATOR
    services: list[str] | None = Field(default=None, max_length=100)
    cloud_user: YesOrNo = True
    programs: list[ProgramPlan] = Field(default_factory=list, max_length=20)


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


class OnboardingAccount(Body):
    """An account in a cloud, by the cloud's slug or id: made, named as the customer unless said, or linked.

    ``people``: those that the customer begins with become users of it, where the cloud has users. What is used there is
    of its ``project``, the first that is written unless said; of one that is linked from the day ``billed_from`` on,
    today unless said.
    """

    cloud: str
    name: str | None = None
    link: str | None = None
    people: YesOrNo = False
    project: str | None = None
    billed_from: date | None = None


class OnboardingSiteLimit(Body):
    """A limit of a measure at a site, by the site's slug or id."""

    site: str
    measure: str
    limit: DecimalText


class OnboardingGiven(Body):
    """What is said of a new customer beside its name. What is left out follows from its seller and its tiers.

    ``country``, ``currency`` and ``billing_zone`` are the seller's unless they are said; ``limits`` by measure (null is
    no limit) are what its tiers promise and the people and projects that it begins with, wherever the seller itself
    has a limit. ``sites`` are those that it is held to, by slug or id; null is all that its seller may use.
    ``offers`` are plans, by slug, that its seller offers to some by name, and to it from now on. With
    ``second_factor`` its members have rights once they set one up. ``welcome`` are words for a mail to its people.
    """

    type: str = "tenant"
    country: str | None = None
    currency: str | None = None
    billing_zone: str | None = None
    cost_centre: str | None = None
    segment: str | None = None
    starts_on: date | None = None
    details: DetailsGiven | None = None
    limits: dict[str, DecimalText | None] = Field(default_factory=dict)
    sites: list[str] | None = Field(default=None, max_length=50)
    site_limits: list[OnboardingSiteLimit] = Field(default_factory=list, max_length=100)
    offers: list[str] = Field(default_factory=list, max_length=50)
    projects: list[OnboardingProject] = Field(default_factory=list, max_length=50)
    cloud_accounts: list[OnboardingAccount] = Field(default_factory=list, max_length=10)
    people: list[OnboardingPerson] = Field(default_factory=list, max_length=20)
    second_factor: YesOrNo = False
    welcome: str | None = None
    subscriptions: list[OnboardingSubscription] = Field(default_factory=list, max_length=20)


class OnboardingCreate(OnboardingGiven):
    """A new customer."""

    slug: str
    name: str


class OnboardingSketch(OnboardingGiven):
    """A new customer as far as somebody has written it."""

    slug: str = ""
    name: str = ""


class OnboardingsCreate(Body):
    """Customers that come on board together or not at all; with ``check`` it is only looked at whether they can."""

    customers: list[OnboardingCreate] = Field(min_length=1, max_length=MOST)
    check: YesOrNo = False


class MonthlyBody(Body):
    """What fees come to a month, in a currency."""

    currency: str
    amount: DecimalText


class LeavesBody(Body):
    """What a limit leaves of what its seller has itself."""

    measure: str
    unit: str
    left: DecimalText
    limit: DecimalText


class LinkedUseBody(Body):
    """What was used of a meter, in its base unit."""

    meter: str
    meter_name: str
    unit: str
    quantity: DecimalText


class LinkedAccountBody(Body):
    """What is in an account that is linked already: ``used`` in the last 31 days of UTC that are over.

    Nothing is told where no feed of its cloud's has ``measured`` it. ``since`` is the first day on which anything was
    used; ``owners`` are the projects whose it is now, none where it is nobody's.
    """

    cloud_name: str
    account: str
    measured: bool
    resources: int = 0
    since: date | None = None
    used: list[LinkedUseBody] = Field(default_factory=list)
    owners: list[str] = Field(default_factory=list)


class LinkedAccountsBody(Body):
    """The accounts that are linked to a new customer, and what next month would cost if they used the same.

    ``monthly`` is net, fees included; ``not_priced`` is not in it, or says why.
    """

    accounts: list[LinkedAccountBody]
    monthly: list[MonthlyBody]
    not_priced: list[str]


class OnboardedBody(Body):
    """A customer that came on board, or could: in sentences, with what its fees come to a month.

    ``leaves`` and what is in accounts that are ``linked`` is told to who only looks. ``waits_because`` says why
    somebody else approves it first; without that it is done. ``seal`` stands for all of it: an approver says with it
    what was read. ``welcome``, told to who only looks, is the mail that each of its people gets.
    """

    onboarding: UUID | None = None
    state: OnboardingState
    organisation: str
    name: str
    sentences: list[str]
    monthly: list[MonthlyBody]
    leaves: list[LeavesBody] = Field(default_factory=list)
    linked: LinkedAccountsBody | None = None
    welcome: MailBody | None = None
    waits_because: str | None = None
    seal: str = ""


class OnboardingsBody(Body):
    """What was done, or would be, customer by customer."""

    checked_only: bool
    items: list[OnboardedBody]


class OnboardingSave(Body):
    """A draft as it is now, over the version that was read."""

    version: WholeNumber
    wanted: OnboardingSketch


class OnboardingSubmit(Body):
    """The version of a draft that is to come on board."""

    version: WholeNumber


class OnboardingAnswer(Body):
    """What an approver says. Who approves gives the ``seal`` of what was read; the others say why in ``reason``."""

    answer: Answer
    seal: str | None = None
    reason: str | None = None


class OnboardingBody(Body):
    """An onboarding: draft, waiting for approval, refused, withdrawn, done step by step, done, or taken back.

    ``task`` is what does it step by step, or takes it back.

    ``sentences`` and ``monthly`` are what it came to when it was asked for, or done; ``customer`` is the organisation
    that it made, ``answer`` what an approver said; ``yours`` is what the caller asked for.
    """

    id: UUID
    seller: str
    state: OnboardingState
    version: int
    wanted: OnboardingSketch
    sentences: list[str]
    monthly: list[MonthlyBody]
    waits_because: str | None
    answer: str | None
    customer: str | None
    made_by: str
    changed_by: str
    changed_at: datetime
    asked_by: str | None
    yours: bool
    asked_at: datetime | None
    answered_by: str | None
    answered_at: datetime | None
    task: TaskBody | None


class OnboardingPolicyBody(Body):
    """Up to how much is brought on board in a month without the approval of another administrator.

    ``subject`` is a currency, for fees a month, or a measure, for limits. Null takes the bound away.
    """

    subject: str
    amount: DecimalText | None
