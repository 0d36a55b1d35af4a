"""Feeds that the service fetches itself: table and queries."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, Text, bindparam, delete, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, Second, ascii_text
from gradumen.store.metering.tables import DeliveryRow, FeedRow


class PullRow(Base):
    """How a feed is fetched: ``form`` is what was written, ``sealed`` its secret, empty where it has none.

    ``next_at`` and the other times of runs are the real clock's, ``complete_until`` is in the time of usage.
    """

    __tablename__ = "pulls"
    __table_args__ = (Index("ix_pulls_paused_next_at", "paused", "next_at"),)

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    kind: Mapped[str] = mapped_column(ascii_text(24))
    form: Mapped[dict[str, Any]] = mapped_column(JSON)
    sealed: Mapped[str] = mapped_column(Text)
    version: Mapped[int]
    paused: Mapped[bool]
    complete_until: Mapped[datetime] = mapped_column(Second)
    next_at: Mapped[datetime] = mapped_column(Moment)
    last_run_at: Mapped[datetime | None] = mapped_column(Moment)
    problem: Mapped[str | None] = mapped_column(String(500))
    failing_since: Mapped[datetime | None] = mapped_column(Moment)
    task_id: Mapped[UUID | None] = mapped_column(ForeignKey("tasks.id", ondelete="SET NULL"))
    """The last run."""
    quiet_from: Mapped[datetime | None] = mapped_column(Second)
    """The first hour in which nothing at all was measured, though something was before; until it is asked once more."""
    believed_until: Mapped[datetime | None] = mapped_column(Second)
    """The hours before were asked for once more by somebody: nothing is nothing there."""


class PulledFileRow(Base):
    """A file that was fetched, as it was then: ``mark`` is another one when its content is.

    ``tried_with`` are the versions of the pull and of the feed's mapping by which it was read.
    """

    __tablename__ = "pulled_files"

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    name: Mapped[str] = mapped_column(String(180, collation="utf8mb4_bin"), primary_key=True)
    mark: Mapped[str] = mapped_column(String(120, collation="utf8mb4_bin"))
    size: Mapped[int] = mapped_column(BigInteger)
    modified_at: Mapped[datetime] = mapped_column(Second)
    fetched_at: Mapped[datetime] = mapped_column(Moment)
    delivery_id: Mapped[int | None] = mapped_column(BigInteger)
    problem: Mapped[str | None] = mapped_column(String(500))
    tried_with: Mapped[str] = mapped_column(ascii_text(40))
    confirmable: Mapped[bool] = mapped_column(default=False)
    """It was not taken, and a person's word is all that is missing."""
    confirmed: Mapped[bool] = mapped_column(default=False)
    """That was given: it is taken as it is, if it is still the same."""


def files_of(tx: Session, feed: int) -> dict[str, PulledFileRow]:
    """What was fetched of a feed, by name."""
    return {row.name: row for row in tx.scalars(select(PulledFileRow).where(PulledFileRow.feed_id == feed))}


def page_of_files(tx: Session, feed: int, *, refused: bool, after: str | None, limit: int) -> list[PulledFileRow]:
    """What was fetched of a feed, by name, after one; only what was not taken if asked."""
    query = select(PulledFileRow).where(PulledFileRow.feed_id == feed)
    if refused:
        query = query.where(PulledFileRow.problem.is_not(None))
    if after is not None:
        query = query.where(PulledFileRow.name > after)
    return list(tx.scalars(query.order_by(PulledFileRow.name).limit(limit)))


def find_file(tx: Session, feed: int, name: str) -> PulledFileRow | None:
    """A file that was fetched, for a decision."""
    return tx.get(PulledFileRow, (feed, name), with_for_update=True)


def forget_refused(tx: Session, feed: int, there: Collection[str]) -> None:
    """Forget files that were not taken and are not there any more."""
    refused = select(PulledFileRow.name).where(PulledFileRow.feed_id == feed, PulledFileRow.problem.is_not(None))
    gone = set(tx.scalars(refused)) - set(there)
    tx.execute(delete(PulledFileRow).where(PulledFileRow.feed_id == feed, PulledFileRow.name.in_(gone)))


def count_files(tx: Session, feeds: Collection[int]) -> dict[int, tuple[int, int, str | None]]:
    """How many files of feeds were fetched, how many of them not taken, and why one of those was not."""
    query = select(
        PulledFileRow.feed_id, func.count(), func.count(PulledFileRow.problem), func.min(PulledFileRow.problem)
    )
    found = tx.execute(query.where(PulledFileRow.feed_id.in_(feeds)).group_by(PulledFileRow.feed_id))
    return {feed: (int(files), int(refused), why) for feed, files, refused, why in found}


def find_pull(tx: Session, feed: int, *, lock: bool = False) -> PullRow | None:
    """How a feed is fetched, where it is."""
    return tx.get(PullRow, feed, with_for_update=lock or None, populate_existing=lock)


def pulls_of(tx: Session, organisation: UUID) -> list[tuple[FeedRow, PullRow]]:
    """Those of an organisation's feeds, by slug."""
    query = select(FeedRow, PullRow).join(PullRow, PullRow.feed_id == FeedRow.id)
    found = tx.execute(query.where(FeedRow.organisation_id == organisation).order_by(FeedRow.slug))
    return [(feed, pull) for feed, pull in found]


_DUE = (
    select(PullRow.feed_id)
    .where(PullRow.paused.is_(False), PullRow.next_at <= bindparam("at"))
    .order_by(PullRow.next_at)
    .limit(bindparam("most"))
)


def due_pulls(tx: Session, at: datetime, most: int) -> list[int]:
    """The feeds whose next run is due, the longest due first."""
    return list(tx.scalars(_DUE, {"at": at, "most": most}))


def sealed_pulls(tx: Session) -> Sequence[PullRow]:
    """Those that have a secret, for writing them anew."""
    return tx.scalars(select(PullRow).where(PullRow.sealed != "").with_for_update()).all()


def has_delivered(tx: Session, feed: int) -> bool:
    """Whether a feed brought anything that was not taken back."""
    query = select(DeliveryRow.id).where(DeliveryRow.feed_id == feed, DeliveryRow.accepted > 0)
    return tx.scalar(query.where(DeliveryRow.taken_back_by.is_(None)).limit(1)) is not None


def delivery_of_hour(tx: Session, feed: int, name: str) -> DeliveryRow | None:
    """The delivery that brought an hour, by its name, and was not taken back."""
    query = select(DeliveryRow).where(DeliveryRow.feed_id == feed, DeliveryRow.file_name == name)
    query = query.where(DeliveryRow.taken_back_by.is_(None), DeliveryRow.takes_back.is_(None))
    return tx.scalars(query.order_by(DeliveryRow.id.desc()).limit(1)).first()
