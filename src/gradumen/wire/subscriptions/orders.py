"""Bodies of orders and of what goes through without approval."""

from datetime import date, datetime
from uuid import UUID

from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.wire.values import Body, DecimalText, WholeNumber


class OrderCreate(Body):
    """What an organisation orders of its seller, from ``day`` on.

    ``subscribe`` names plan, tier and name; ``change`` and ``end`` the subscription; an end is the day that it no
    longer covers. ``purchase_order`` is the customer's own number, ``reason`` is for the one who approves.
    """

    kind: OrderKind
    day: date
    subscription: UUID | None = None
    plan: str | None = None
    tier: str | None = None
    name: str | None = None
    project: str | None = None
    quantity: WholeNumber | None = None
    choices: dict[str, str] | None = None
    accepted_terms: str | None = None
    purchase_order: str | None = None
    reason: str | None = None


class OrderAnswer(Body):
    """Approved or refused; a refusal needs a reason. ``amount`` is what one approves, and no more.

    Where plan or prices changed since it was ordered, ``seal`` is that of the order as one read it.
    """

    approve: bool
    amount: DecimalText | None = None
    seal: str | None = None
    reason: str | None = None


class OrderBody(Body):
    """An order: waiting, done, refused or withdrawn.

    It waits for another of its own people, or for its seller. ``what`` says it in words; ``amount`` is what it adds by
    its fees, a month and once, net and before discounts. ``changed`` says what became otherwise since it was ordered:
    *plan* or *prices*; ``seal`` stands for them as they are now. Of one that waits for nobody neither is said.
    """

    id: UUID
    organisation: str
    organisation_name: str
    seller: str
    seller_name: str
    kind: OrderKind
    what: str
    day: date
    subscription: UUID | None
    amount: DecimalText
    currency: str
    purchase_order: str | None
    reason: str | None
    state: str
    waits_for: Approver | None
    changed: list[str]
    seal: str
    at_once: bool
    answer: str | None
    answered_by: str | None
    asked_by: str
    asked_at: datetime
    answered_at: datetime | None


class OrderPolicyBody(Body):
    """Up to which amount a month is ordered in a currency without approval; null is any amount.

    Of ``approver`` *seller* it is what its customers order, of *own* what its own people order.
    """

    approver: Approver
    currency: str
    amount: DecimalText | None


class OrderPolicySet(Body):
    """A policy that is to hold; see `OrderPolicyBody`."""

    approver: Approver = Approver.SELLER
    currency: str
    amount: DecimalText | None
