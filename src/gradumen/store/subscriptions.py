"""Subscriptions and their supply lines, one on every link above the buyer."""

from datetime import date, datetime
from uuid import UUID

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


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
    plan_version_id: Mapped[UUID] = mapped_column(ForeignKey("plan_versions.id", ondelete="RESTRICT"))
    name: Mapped[str] = mapped_column(String(120))
    starts_on: Mapped[date]
    ends_on: Mapped[date | None]
    version: Mapped[int]
    created_at: Mapped[datetime] = mapped_column(Moment)


class SupplyLineRow(Base):
    """The subscription on one link, from a day until its next line there: seller, buyer, tier, quantity, rate card.

    ``depth`` counts from the subscriber: 0 is its own purchase. The provider's own use is a line to itself. A
    ``paused`` line has no fees and allowances, one in ``trial`` is free of charge.
    """

    __tablename__ = "supply_lines"
    __table_args__ = (
        UniqueConstraint("subscription_id", "depth", "starts_on"),
        Index("ix_supply_lines_seller_id_buyer_id", "seller_id", "buyer_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    subscription_id: Mapped[UUID] = mapped_column(ForeignKey("subscriptions.id", ondelete="RESTRICT"))
    depth: Mapped[int]
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    buyer_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    starts_on: Mapped[date]
    tier: Mapped[str] = mapped_column(ascii_text(63))
    quantity: Mapped[int]
    paused: Mapped[bool]
    trial: Mapped[bool]
    rate_card_id: Mapped[UUID] = mapped_column(ForeignKey("rate_cards.id", ondelete="RESTRICT"))
