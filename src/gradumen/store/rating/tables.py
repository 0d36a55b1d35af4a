"""What pairs are charged, kept current: charges with what explains them, their parts, and usage that is not priced.

Derived, and replaced as a whole by each rating: a *generation* is written beside the one that holds, then the pair
names it. Hence no foreign keys: what a change removes is removed from charges when its pair is rated again.
"""

from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Amount, Base, Figure, Moment, Quantity, ascii_text


class CurrentChargeRow(Base):
    """A charge of a pair; see `gradumen.core.rating.charges.Charge`, whose quantities and amounts these are.

    ``blocks`` are start and size in millionths, price, and base units per pricing unit as a fraction's two numbers;
    ``project_number`` is that of a rate that counts per project.
    """

    __tablename__ = "current_charges"
    __table_args__ = (Index("ix_current_charges_estimated", "estimated"),)

    pair_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    generation: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    supply_line_id: Mapped[UUID]
    rate_card_version_id: Mapped[UUID]
    kind: Mapped[str] = mapped_column(ascii_text(20))
    rate: Mapped[str] = mapped_column(ascii_text(63))
    project_number: Mapped[int | None]
    meter: Mapped[str | None] = mapped_column(ascii_text(127))
    unit: Mapped[str] = mapped_column(String(60))
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    covered: Mapped[Decimal] = mapped_column(Quantity)
    before: Mapped[Decimal] = mapped_column(Figure)
    true_up: Mapped[Decimal] = mapped_column(Quantity)
    spread_key: Mapped[Decimal] = mapped_column(Quantity)
    amount: Mapped[Decimal] = mapped_column(Amount)
    shared_quantity: Mapped[Decimal | None] = mapped_column(Quantity)
    shared_amount: Mapped[Decimal | None] = mapped_column(Amount)
    advance: Mapped[bool]
    service_start: Mapped[datetime] = mapped_column(Moment)
    service_end: Mapped[datetime] = mapped_column(Moment)
    blocks: Mapped[list[list[Any]]] = mapped_column(JSON)
    adjustments: Mapped[list[list[str]]] = mapped_column(JSON)
    attribute_sets: Mapped[list[int]] = mapped_column(JSON)
    exchange: Mapped[list[list[str]] | None] = mapped_column(JSON(none_as_null=True))
    """Since when a unit of a cost's currency was worth how much of the card's, where these are two."""
    estimated: Mapped[Decimal] = mapped_column(Amount)
    evidence: Mapped[str] = mapped_column(ascii_text(64))


class CurrentPartRow(Base):
    """A charge's share of one project, resource and local day; fees have no resource."""

    __tablename__ = "current_parts"

    pair_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    generation: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    charge_position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    project_number: Mapped[int | None]
    resource_id: Mapped[int | None]
    day: Mapped[date]
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    amount: Mapped[Decimal] = mapped_column(Amount)


class NotPricedRow(Base):
    """Usage of an organisation's resource that no rate of its line prices, or that no subscription covers (no line)."""

    __tablename__ = "not_priced"

    pair_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    generation: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    supply_line_id: Mapped[UUID | None]
    organisation_id: Mapped[UUID]
    project_number: Mapped[int | None]
    meter: Mapped[str] = mapped_column(ascii_text(127))
    attribute_set_id: Mapped[int | None]
    resource_id: Mapped[int | None]
    """Null where a release wrote it that did not tell resources apart."""
    quantity: Mapped[Decimal] = mapped_column(Quantity)


class ChargedTogetherRow(Base):
    """Usage of an organisation's resource that is charged with its composite's, or without one as its components'.

    ``hours`` are those in which it is; without line no subscription covers it.
    """

    __tablename__ = "charged_together"

    pair_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    generation: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    supply_line_id: Mapped[UUID | None]
    organisation_id: Mapped[UUID]
    project_number: Mapped[int]
    meter: Mapped[str] = mapped_column(ascii_text(127))
    attribute_set_id: Mapped[int]
    resource_id: Mapped[int]
    composite_id: Mapped[int | None]
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    hours: Mapped[int]


class WhatIfRow(Base):
    """A seller's period to be priced again; its id is that of the task that does it.

    ``cards`` are forms of rate cards as they were sent, with all that they leave to others filled in.
    """

    __tablename__ = "what_ifs"
    __table_args__ = (Index("ix_what_ifs_seller_id_asked_at", "seller_id", "asked_at"),)

    id: Mapped[UUID] = mapped_column(ForeignKey("tasks.id", ondelete="RESTRICT"), primary_key=True)
    seller_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    period: Mapped[str] = mapped_column(ascii_text(7))
    cards: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    asked_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime] = mapped_column(Moment)


class WhatIfAmountRow(Base):
    """What a buyer's charges of a service came to, and would have come to, of a what-if; net of tax."""

    __tablename__ = "what_if_amounts"

    what_if_id: Mapped[UUID] = mapped_column(ForeignKey("what_ifs.id", ondelete="CASCADE"), primary_key=True)
    buyer_id: Mapped[UUID] = mapped_column(primary_key=True)
    service: Mapped[str] = mapped_column(ascii_text(63), primary_key=True)
    currency: Mapped[str] = mapped_column(ascii_text(3), primary_key=True)
    before: Mapped[Decimal] = mapped_column(Amount)
    after: Mapped[Decimal] = mapped_column(Amount)


class WhatIfGapRow(Base):
    """A meter that a buyer used and that nothing would have priced."""

    __tablename__ = "what_if_gaps"

    what_if_id: Mapped[UUID] = mapped_column(ForeignKey("what_ifs.id", ondelete="CASCADE"), primary_key=True)
    buyer_id: Mapped[UUID] = mapped_column(primary_key=True)
    meter: Mapped[str] = mapped_column(ascii_text(127), primary_key=True)
