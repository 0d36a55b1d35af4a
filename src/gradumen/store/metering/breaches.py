"""Breaches of limits by metered use: tables and queries."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint, and_, false, or_, select, tuple_
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, Quantity, ascii_text
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.tables import QuotaRow


class BreachRow(Base):
    """A holder used more of a measure than ``giver_id`` gave it; of the provider's own limit it has no giver.

    ``is_open`` is true or null, so that there is one open breach of each holder and measure and giver at most.
    ``seen_at`` is when it was last looked at; ``told_over`` says that the end of its grace was told.
    """

    __tablename__ = "breaches"
    __table_args__ = (
        UniqueConstraint("holder_id", "measure", "is_open"),
        Index("ix_breaches_organisation_id_opened_at", "organisation_id", "opened_at"),
        Index("ix_breaches_giver_id_opened_at", "giver_id", "opened_at"),
        Index("ix_breaches_is_open", "is_open"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    holder_id: Mapped[UUID]
    measure: Mapped[str] = mapped_column(ascii_text(32))
    is_open: Mapped[bool | None]
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    giver_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    crossed: Mapped[str] = mapped_column(ascii_text(16))
    limit_value: Mapped[Decimal] = mapped_column(Quantity)
    used: Mapped[Decimal] = mapped_column(Quantity)
    most: Mapped[Decimal] = mapped_column(Quantity)
    opened_at: Mapped[datetime] = mapped_column(Moment)
    seen_at: Mapped[datetime] = mapped_column(Moment)
    grace_until: Mapped[datetime | None] = mapped_column(Moment)
    told_over: Mapped[bool]
    closed_at: Mapped[datetime | None] = mapped_column(Moment)


class BreachNoteRow(Base):
    """What one side says that it does about a breach."""

    __tablename__ = "breach_notes"

    breach_id: Mapped[UUID] = mapped_column(ForeignKey("breaches.id", ondelete="RESTRICT"), primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    note: Mapped[str] = mapped_column(String(1000))
    noted_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    noted_at: Mapped[datetime] = mapped_column(Moment)


@dataclass(frozen=True, slots=True)
class Limited:
    """A holder's limits of a measure that meters count."""

    holder_id: UUID
    measure: str
    organisation_id: UUID
    project_id: UUID | None
    giver_id: UUID | None
    limit_value: Decimal | None
    soft_limit: Decimal | None
    grace_days: int | None


def limits_on_use(tx: Session, organisations: Collection[UUID]) -> list[Limited]:
    """The limits of metered measures of organisations and their projects."""
    row = QuotaRow
    columns = (row.holder_id, row.measure, row.organisation_id, row.project_id, row.giver_id)
    query = select(*columns, row.limit_value, row.soft_limit, row.grace_days).where(
        row.organisation_id.in_(organisations),
        row.measure.not_in([each for each in load_measures(tx).ever.values() if not each.metered]),
        row.is_set,
        or_(row.limit_value.is_not(None), row.soft_limit.is_not(None)),
    )
    return [Limited(*each) for each in tx.execute(query)]


def open_breaches(tx: Session) -> list[BreachRow]:
    """All that are not over."""
    return list(tx.scalars(select(BreachRow).where(BreachRow.is_open.is_(True))))


def lock_open_breach(tx: Session, holder: UUID, measure: str) -> BreachRow | None:
    """The open breach of a holder's, for a decision."""
    row = BreachRow
    query = select(row).where(row.holder_id == holder, row.measure == measure, row.is_open.is_(True))
    return tx.scalars(query.with_for_update(), execution_options={"populate_existing": True}).first()


def find_breach(tx: Session, breach: UUID) -> BreachRow | None:
    """A breach by its id."""
    return tx.get(BreachRow, breach)


def page_of_breaches(
    tx: Session,
    organisation: UUID,
    *,
    own: bool,
    givers: Collection[UUID],
    open_only: bool,
    after: tuple[datetime, UUID] | None,
    limit: int,
) -> list[BreachRow]:
    """Breaches of an organisation and its projects, and of what ``givers`` gave, the latest first, after one of them.

    Args:
        own: those of the organisation whoever gave the limit; else those alone that ``givers`` gave it.
    """
    row = BreachRow
    given = row.giver_id.in_(givers)
    if own:
        query = select(row).where(or_(row.organisation_id == organisation, given))
    else:
        query = select(row).where(row.organisation_id == organisation, row.project_id.is_(None), given)
    if open_only:
        query = query.where(row.is_open.is_(True))
    if after is not None:
        query = query.where(tuple_(row.opened_at, row.id) < after)
    return list(tx.scalars(query.order_by(row.opened_at.desc(), row.id.desc()).limit(limit)))


def breaches_to_do(tx: Session, organisation: UUID, limit: int) -> list[BreachRow]:
    """Open breaches of an organisation, and of what it gave, about which it has said nothing."""
    row, note = BreachRow, BreachNoteRow
    said = select(note.breach_id).where(note.organisation_id == organisation)
    concerned = or_(row.organisation_id == organisation, row.giver_id == organisation)
    query = select(row).where(row.is_open.is_(True), concerned, row.id.not_in(said))
    return list(tx.scalars(query.order_by(row.opened_at, row.id).limit(limit)))


def notes_of(tx: Session, pairs: Sequence[tuple[UUID, Collection[UUID]]]) -> dict[UUID, BreachNoteRow]:
    """What one of some sides said of each breach."""
    note = BreachNoteRow
    query = select(note).where(
        or_(false(), *(and_(note.breach_id == breach, note.organisation_id.in_(sides)) for breach, sides in pairs))
    )
    return {row.breach_id: row for row in tx.scalars(query)}


def find_note(tx: Session, breach: UUID, organisation: UUID) -> BreachNoteRow | None:
    """What a side said of a breach."""
    return tx.get(BreachNoteRow, (breach, organisation), with_for_update=True, populate_existing=True)
