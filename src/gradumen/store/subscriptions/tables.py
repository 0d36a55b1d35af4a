"""Subscriptions, their supply lines on every link above the buyer, and what belongs to them."""

from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Amount, Base, Moment, ascii_text


class SubscriptionRow(Base):
    """``organisation_id`` has a tier of a plan from a day up to (not including) ``ends_on``."""

    __tablename__ = "subscriptions"
    __table_args__ = (
        UniqueConstraint("organisation_id", "name"),
        Index("ix_subscriptions_organisation_id_starts_on", "organisation_id", "starts_on"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    plan_id: Mapped[UUID] = mapped_column(ForeignKey("plans.id", ondelete="RESTRICT"))
    name: Mapped[str] = mapped_column(String(120))
    starts_on: Mapped[date]
    ends_on: Mapped[date | None]
    version: Mapped[int]
    created_at: Mapped[datetime] = mapped_column(Moment)


class SupplyLineRow(Base):
    """The subscription on one link, from a day until its next line there: seller, buyer, tier, quantity, rate card.

    ``depth`` counts from the subscriber: 0 is its own purchase. The provider's own use is a line to itself. A
    ``paused`` line has no fees and allowances, one in ``trial`` is free of charge. ``card_named``: the card was named
    for this line, not chosen by the seller's rules. ``choices`` are the subscriber's; ``special_terms`` are allowances
    and service levels that differ from the tier's, in the written form of a tier.

    Where somebody moves, lines end before ``ends_on``, at the moment ``closes_at``, and those of the new links open at
    ``opens_at``: midnight of neither seller, perhaps. A ``void`` line never holds: a move came before it began.
    """

    __tablename__ = "supply_lines"
    __table_args__ = (
        UniqueConstraint("subscription_id", "depth", "starts_on", "seller_id", "buyer_id", name="uq_supply_lines_link"),
        Index("ix_supply_lines_seller_id_buyer_id", "seller_id", "buyer_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    subscription_id: Mapped[UUID] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"))
    depth: Mapped[int]
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    starts_on: Mapped[date]
    plan_version_id: Mapped[UUID] = mapped_column(ForeignKey("plan_versions.id", ondelete="RESTRICT"))
    tier: Mapped[str] = mapped_column(ascii_text(63))
    quantity: Mapped[int]
    paused: Mapped[bool]
    trial: Mapped[bool]
    rate_card_id: Mapped[UUID] = mapped_column(ForeignKey("rate_cards.id", ondelete="RESTRICT"))
    card_named: Mapped[bool]
    choices: Mapped[dict[str, str]] = mapped_column(JSON)
    special_terms: Mapped[dict[str, Any]] = mapped_column(JSON)
    ends_on: Mapped[date | None]
    opens_at: Mapped[datetime | None] = mapped_column(Moment)
    closes_at: Mapped[datetime | None] = mapped_column(Moment)
    void: Mapped[bool] = mapped_column(default=False)


class MoveRow(Base):
    """An organisation buys from ``to_id`` in place of ``from_id`` from a moment on; ``starts_on`` is that day.

    ``decided_for_id`` is the nearest that sells to both, in whose zone the day begins. ``ended`` has the subscriptions
    that end with it, since they are the old seller's own, with the day on which they were to end before.
    """

    __tablename__ = "moves"
    __table_args__ = (
        Index("ix_moves_organisation_id", "organisation_id", "starts_at"),
        Index("ix_moves_state_starts_at", "state", "starts_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    from_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    to_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    decided_for_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    starts_on: Mapped[date]
    starts_at: Mapped[datetime] = mapped_column(Moment)
    state: Mapped[str] = mapped_column(ascii_text(16))
    reason: Mapped[str] = mapped_column(String(1000))
    ended: Mapped[dict[str, str | None]] = mapped_column(JSON)
    planned_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    planned_at: Mapped[datetime] = mapped_column(Moment)
    ended_at: Mapped[datetime | None] = mapped_column(Moment)
    """When it was done, or withdrawn."""


class AcceptedTermsRow(Base):
    """Who accepted which version of a plan's terms for a subscription, and when."""

    __tablename__ = "accepted_terms"

    subscription_id: Mapped[UUID] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"), primary_key=True)
    plan_version_id: Mapped[UUID] = mapped_column(ForeignKey("plan_versions.id", ondelete="RESTRICT"), primary_key=True)
    terms: Mapped[str] = mapped_column(String(40))
    accepted_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    accepted_at: Mapped[datetime] = mapped_column(Moment)


class AssignmentRuleRow(Base):
    """From a day on, what fulfils the conditions falls to a subscription; lower ``position`` goes first."""

    __tablename__ = "assignment_rules"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    subscription_id: Mapped[UUID] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"))
    position: Mapped[int]
    starts_on: Mapped[date]
    ends_on: Mapped[date | None]
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)


class OneOffChargeRow(Base):
    """An amount that a seller charges by hand, on a supply line, on a day; until it is withdrawn."""

    __tablename__ = "one_off_charges"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    subscription_id: Mapped[UUID] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"), index=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    day: Mapped[date]
    description: Mapped[str] = mapped_column(String(200))
    amount: Mapped[Decimal] = mapped_column(Amount)
    currency: Mapped[str] = mapped_column(ascii_text(3))
    entered_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    entered_at: Mapped[datetime] = mapped_column(Moment)
    withdrawn_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    withdrawn_at: Mapped[datetime | None] = mapped_column(Moment)


class OrderRow(Base):
    """A customer orders of its seller; ``wanted`` is what, ``amount`` what it adds, a month and once.

    ``at_once`` went through without its seller's approval; ``own_by`` approved it among its own people. Its seller
    knows of it once it has ``reached`` it.
    """

    __tablename__ = "orders"
    __table_args__ = (
        Index("ix_orders_organisation_id", "organisation_id", "asked_at"),
        Index("ix_orders_seller_id", "seller_id", "state"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    kind: Mapped[str] = mapped_column(ascii_text(16))
    subscription_id: Mapped[UUID | None] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"))
    wanted: Mapped[dict[str, Any]] = mapped_column(JSON)
    amount: Mapped[Decimal] = mapped_column(Amount)
    currency: Mapped[str] = mapped_column(ascii_text(3))
    basis: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Of one that waits, the version of its plan and the prices when it was ordered or passed on; None is unknown."""
    at_once: Mapped[bool]
    reached: Mapped[bool]
    state: Mapped[str] = mapped_column(ascii_text(16))
    waits_for: Mapped[str | None] = mapped_column(ascii_text(8))
    own_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    answer: Mapped[str | None] = mapped_column(String(1000))
    asked_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime] = mapped_column(Moment)
    answered_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    answered_at: Mapped[datetime | None] = mapped_column(Moment)


class OrderPolicyRow(Base):
    """Up to which amount a month is ordered in a currency without approval; null is any.

    Of ``approver`` seller it is what its customers order, of own what its own people do.
    """

    __tablename__ = "order_policies"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    approver: Mapped[str] = mapped_column(ascii_text(8), primary_key=True)
    currency: Mapped[str] = mapped_column(ascii_text(3), primary_key=True)
    amount: Mapped[Decimal | None] = mapped_column(Amount)


class OnboardingRow(Base):
    """A customer that a seller brings on board: ``wanted`` is what was written, ``told`` what that comes to.

    Every change counts a ``version``. ``at_once`` went through without approval; ``organisation_id`` is who it made.
    """

    __tablename__ = "onboardings"
    __table_args__ = (Index("ix_onboardings_seller_id_changed_at", "seller_id", "changed_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    state: Mapped[str] = mapped_column(ascii_text(16))
    version: Mapped[int]
    wanted: Mapped[dict[str, Any]] = mapped_column(JSON)
    told: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    organisation_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    at_once: Mapped[bool]
    waits_because: Mapped[str | None] = mapped_column(String(300))
    answer: Mapped[str | None] = mapped_column(String(1000))
    made_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    changed_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    changed_at: Mapped[datetime] = mapped_column(Moment)
    asked_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime | None] = mapped_column(Moment)
    answered_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    answered_at: Mapped[datetime | None] = mapped_column(Moment)
    task_id: Mapped[UUID | None] = mapped_column(ForeignKey("tasks.id", ondelete="RESTRICT"))
    """What is done step by step where the customer has accounts in clouds, or taken back."""


class EndingToldRow(Base):
    """Its people were told so many days before that something ends on a day: a subscription, or a state."""

    __tablename__ = "endings_told"

    subject_id: Mapped[UUID] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(ascii_text(16), primary_key=True)
    day: Mapped[date] = mapped_column(primary_key=True)
    days_before: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    told_at: Mapped[datetime] = mapped_column(Moment)


class OnboardingPolicyRow(Base):
    """Up to how much is brought on board in a month without approval: fees in a currency, or a measure's limits."""

    __tablename__ = "onboarding_policies"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    subject: Mapped[str] = mapped_column(ascii_text(32), primary_key=True)
    amount: Mapped[Decimal] = mapped_column(Amount)
