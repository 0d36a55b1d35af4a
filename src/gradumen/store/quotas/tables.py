"""Quotas of organisations and projects."""

from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import BigInteger, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, Quantity, ascii_text


class QuotaRow(Base):
    """What a holder (an organisation, or a project of one) may have; ``giver_id`` gave it.

    Of a project whose limit lies inside that of a project above it, that is nobody.

    While a move is planned it is held at ``next_giver_id`` as well, so that it fits there on the day.
    ``version`` is written by every decision about the holder or what it gave on, so that rivals meet here.
    """

    __tablename__ = "quotas"
    # All that a giver's sums need, so that they are read from the index alone.
    __table_args__ = (
        Index("ix_quotas_giver_id_measure_is_set_limit_value", "giver_id", "measure", "is_set", "limit_value"),
    )

    holder_id: Mapped[UUID] = mapped_column(primary_key=True)
    measure: Mapped[str] = mapped_column(ascii_text(32), primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    giver_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    next_giver_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    limit_value: Mapped[Decimal | None] = mapped_column(Quantity)
    is_set: Mapped[bool]
    """Whether it was given at all: a row may be there for rivals to meet in."""
    reservation: Mapped[Decimal] = mapped_column(Quantity)
    factor: Mapped[Decimal] = mapped_column(Quantity)
    label: Mapped[str | None] = mapped_column(String(120))
    soft_limit: Mapped[Decimal | None] = mapped_column(Quantity)
    """What metered use may exceed for ``grace_days``; then somebody is told."""
    grace_days: Mapped[int | None]
    version: Mapped[int]


class QuotaRequestRow(Base):
    """An organisation asks its seller for another limit; ``answered`` is the limit that it was given, where it was."""

    __tablename__ = "quota_requests"
    __table_args__ = (
        Index("ix_quota_requests_organisation_id", "organisation_id", "asked_at"),
        Index("ix_quota_requests_seller_id", "seller_id", "state"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    measure: Mapped[str] = mapped_column(ascii_text(32))
    asked: Mapped[Decimal] = mapped_column(Quantity)
    reason: Mapped[str] = mapped_column(String(1000))
    state: Mapped[str] = mapped_column(ascii_text(16))
    answered: Mapped[Decimal | None] = mapped_column(Quantity)
    answer: Mapped[str | None] = mapped_column(String(1000))
    asked_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime] = mapped_column(Moment)
    answered_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    answered_at: Mapped[datetime | None] = mapped_column(Moment)


class QuotaChangeRow(Base):
    """From ``changed_at`` on a holder may have ``limit_value`` of a measure, until its next change."""

    __tablename__ = "quota_changes"
    __table_args__ = (Index("ix_quota_changes_organisation_id", "organisation_id", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    measure: Mapped[str] = mapped_column(ascii_text(32))
    limit_value: Mapped[Decimal | None] = mapped_column(Quantity)
    is_set: Mapped[bool]
    """False where it was given back."""
    site_id: Mapped[UUID | None] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"))
    pool_id: Mapped[UUID | None] = mapped_column(ForeignKey("pools.id", ondelete="RESTRICT"))
    changed_at: Mapped[datetime] = mapped_column(Moment)
