"""Services, plans and rate cards, each in published versions that never change."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


class ServiceRow(Base):
    __tablename__ = "services"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63), unique=True)


class ServiceVersionRow(Base):
    __tablename__ = "service_versions"
    __table_args__ = (UniqueConstraint("service_id", "number"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    service_id: Mapped[UUID] = mapped_column(ForeignKey("services.id", ondelete="RESTRICT"))
    number: Mapped[int]
    published_at: Mapped[datetime] = mapped_column(Moment)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class MeterRow(Base):
    """A meter of a service; its unit and way to combine never change."""

    __tablename__ = "meters"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    service_id: Mapped[UUID] = mapped_column(ForeignKey("services.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(127), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    unit: Mapped[str] = mapped_column(String(60))
    combine: Mapped[str] = mapped_column(ascii_text(16))
    counted: Mapped[str | None] = mapped_column(String(40))


class PlanRow(Base):
    __tablename__ = "plans"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63), unique=True)


class PlanVersionRow(Base):
    __tablename__ = "plan_versions"
    __table_args__ = (UniqueConstraint("plan_id", "number"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    plan_id: Mapped[UUID] = mapped_column(ForeignKey("plans.id", ondelete="RESTRICT"))
    number: Mapped[int]
    published_at: Mapped[datetime] = mapped_column(Moment)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class TierSaleRow(Base):
    """From when a plan's tier is not sold (``withdrawn_on``) and not used (``retired_on``) any more."""

    __tablename__ = "tier_sales"

    plan_id: Mapped[UUID] = mapped_column(ForeignKey("plans.id", ondelete="RESTRICT"), primary_key=True)
    tier: Mapped[str] = mapped_column(ascii_text(63), primary_key=True)
    withdrawn_on: Mapped[date | None]
    retired_on: Mapped[date | None]


class OfferRow(Base):
    """A seller's offer of a plan, its own or one that is offered to it."""

    __tablename__ = "offers"
    __table_args__ = (UniqueConstraint("organisation_id", "plan_id"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    plan_id: Mapped[UUID] = mapped_column(ForeignKey("plans.id", ondelete="RESTRICT"))


class OfferVersionRow(Base):
    """What is offered from its publication until the next version."""

    __tablename__ = "offer_versions"
    __table_args__ = (UniqueConstraint("offer_id", "number"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    offer_id: Mapped[UUID] = mapped_column(ForeignKey("offers.id", ondelete="RESTRICT"))
    number: Mapped[int]
    published_at: Mapped[datetime] = mapped_column(Moment)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class RateCardRow(Base):
    """A seller's prices in one currency, for those that ``buyers`` says (`gradumen.core.catalogue.selection`)."""

    __tablename__ = "rate_cards"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    currency: Mapped[str] = mapped_column(ascii_text(3))
    buyers: Mapped[Any] = mapped_column(JSON)


class RateCardVersionRow(Base):
    """``prices_promised``: some rate of it is on what quotas promise."""

    __tablename__ = "rate_card_versions"
    __table_args__ = (
        UniqueConstraint("rate_card_id", "number"),
        UniqueConstraint("rate_card_id", "starts_on"),
        Index("ix_rate_card_versions_prices_promised", "prices_promised", "rate_card_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    rate_card_id: Mapped[UUID] = mapped_column(ForeignKey("rate_cards.id", ondelete="RESTRICT"))
    number: Mapped[int]
    starts_on: Mapped[date]
    published_at: Mapped[datetime] = mapped_column(Moment)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    prices_promised: Mapped[bool]


class UnpublishedChangeRow(Base):
    """A service, plan or rate card that is being written, as a form that may still have mistakes."""

    __tablename__ = "catalogue_drafts"
    __table_args__ = (UniqueConstraint("organisation_id", "kind", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    kind: Mapped[str] = mapped_column(ascii_text(16))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    form: Mapped[dict[str, Any]] = mapped_column(JSON)
    version: Mapped[int]
    edited_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    edited_at: Mapped[datetime] = mapped_column(Moment)
