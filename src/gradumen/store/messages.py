"""Messages to people: written in the transaction of what they tell, sent after it; and the texts of organisations."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, Text, delete, func, select, tuple_, update
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.messages import State
from gradumen.store.columns import Base, Moment, ascii_text, has_text


class MessageRow(Base):
    """One message to one address: what it is of, how far it has come.

    ``organisation_id`` has it in its list, ``from_id`` is named as whom it comes from and has the text. ``sealed`` is
    the end of its link, where that is a secret, until it is sent.
    """

    __tablename__ = "messages"
    __table_args__ = (
        Index("ix_messages_state_due_at", "state", "due_at"),
        Index("ix_messages_organisation_id_created_at", "organisation_id", "created_at"),
        Index("ix_messages_user_id_created_at", "user_id", "created_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    from_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    user_id: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    email: Mapped[str] = mapped_column(String(200))
    kind: Mapped[str] = mapped_column(ascii_text(32))
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    path: Mapped[str] = mapped_column(String(300))
    sealed: Mapped[str | None] = mapped_column(Text)
    state: Mapped[str] = mapped_column(ascii_text(16))
    attempts: Mapped[int]
    due_at: Mapped[datetime | None] = mapped_column(Moment)
    problem: Mapped[str | None] = mapped_column(String(300))
    created_at: Mapped[datetime] = mapped_column(Moment)
    sent_at: Mapped[datetime | None] = mapped_column(Moment)
    read_at: Mapped[datetime | None] = mapped_column(Moment)
    """When its reader saw it in the console."""


class MessageTextRow(Base):
    """What an organisation writes in the place of a kind's text."""

    __tablename__ = "message_texts"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    kind: Mapped[str] = mapped_column(ascii_text(32), primary_key=True)
    subject: Mapped[str] = mapped_column(String(200))
    body: Mapped[str] = mapped_column(Text)
    version: Mapped[int]


@dataclass(frozen=True, slots=True)
class Taken:
    """A message that a worker has; only who took it last says what came of it."""

    row: MessageRow
    attempt: int


def take_messages(tx: Session, at: datetime, lease: timedelta, most: int) -> list[Taken]:
    """Messages that are due, the oldest first; nobody else takes them for as long as the lease."""
    row = MessageRow
    query = select(row).where(row.state == State.WAITING, row.due_at <= at).order_by(row.due_at, row.id).limit(most)
    taken: list[Taken] = []
    for found in tx.scalars(query):
        changed = tx.execute(
            update(row)
            .where(row.id == found.id, row.attempts == found.attempts, row.state == State.WAITING)
            .values(attempts=found.attempts + 1, due_at=at + lease)
            .execution_options(synchronize_session=False)
        )
        if changed.rowcount:  # type: ignore[attr-defined]  # an UPDATE gives a cursor result
            taken.append(Taken(found, found.attempts + 1))
    return taken


def taken_message(tx: Session, message: UUID, attempt: int) -> MessageRow | None:
    """A message whose latest attempt is this one, for saying what came of it."""
    row = tx.get(MessageRow, message, with_for_update=True, populate_existing=True)
    return row if row is not None and row.attempts == attempt and row.state == State.WAITING else None


def lock_message(tx: Session, message: UUID) -> MessageRow | None:
    """A message, for a decision."""
    return tx.get(MessageRow, message, with_for_update=True, populate_existing=True)


def page_of_messages(
    tx: Session,
    organisation: UUID,
    *,
    state: State | None,
    search: str,
    after: tuple[datetime, UUID] | None,
    limit: int,
) -> list[MessageRow]:
    """What an organisation sent, the latest first, after a moment and id."""
    row = MessageRow
    query = select(row).where(row.organisation_id == organisation)
    if state is not None:
        query = query.where(row.state == state)
    if search:
        query = query.where(has_text(row.email, search))
    if after is not None:
        query = query.where(tuple_(row.created_at, row.id) < after)
    return list(tx.scalars(query.order_by(row.created_at.desc(), row.id.desc()).limit(limit)))


def messages_to(tx: Session, user: UUID, most: int) -> list[MessageRow]:
    """What was told to a user, the latest first."""
    row = MessageRow
    query = select(row).where(row.user_id == user).order_by(row.created_at.desc(), row.id.desc())
    return list(tx.scalars(query.limit(most)))


def count_unread(tx: Session, user: UUID) -> int:
    """How many of a user's messages it has not seen."""
    row = MessageRow
    return int(tx.scalar(select(func.count()).where(row.user_id == user, row.read_at.is_(None))) or 0)


def note_read(tx: Session, user: UUID, until: datetime, at: datetime) -> None:
    """A user has seen what was told until a moment."""
    row = MessageRow
    unseen = (row.user_id == user, row.read_at.is_(None), row.created_at <= until)
    tx.execute(update(row).where(*unseen).values(read_at=at))


def count_failed(tx: Session, organisations: Collection[UUID], since: datetime) -> int:
    """How many messages of organisations failed since a moment."""
    row = MessageRow
    query = select(func.count()).where(
        row.organisation_id.in_(organisations), row.state == State.FAILED, row.created_at >= since
    )
    return int(tx.scalar(query) or 0)


def waiting_since(tx: Session, before: datetime, most: int) -> list[MessageRow]:
    """So many messages that wait since before a moment, for a decision."""
    row = MessageRow
    query = select(row).where(row.state == State.WAITING, row.created_at < before).order_by(row.created_at)
    return list(tx.scalars(query.limit(most).with_for_update()))


def drop_messages(tx: Session, before: datetime, limit: int) -> None:
    """Forget so many messages of before a moment at most."""
    tx.execute(
        delete(MessageRow)
        .where(MessageRow.created_at < before, MessageRow.state != State.WAITING)
        .with_dialect_options(mysql_limit=limit)
    )


def sealed_messages(tx: Session) -> Sequence[MessageRow]:
    """Messages with a secret that is not sent yet."""
    return tx.scalars(select(MessageRow).where(MessageRow.sealed.is_not(None)).with_for_update()).all()


def texts_of(tx: Session, organisations: Collection[UUID]) -> dict[tuple[UUID, str], MessageTextRow]:
    """What organisations wrote, by organisation and kind."""
    rows = tx.scalars(select(MessageTextRow).where(MessageTextRow.organisation_id.in_(organisations)))
    return {(row.organisation_id, row.kind): row for row in rows}
