"""Files that come in pieces; tables and queries."""

from collections import defaultdict
from collections.abc import Collection, Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import (
    BigInteger,
    ForeignKey,
    Index,
    LargeBinary,
    Select,
    SmallInteger,
    String,
    UniqueConstraint,
    delete,
    select,
)
from sqlalchemy.dialects.mysql import BINARY, LONGBLOB, insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.metering.uploads import UploadState
from gradumen.store.columns import Base, Moment, ascii_text

_NAME = String(191, collation="utf8mb4_bin")


class UploadRow(Base):
    """A cost file that comes in pieces: file ``part`` (from 0) of an export.

    ``known_by`` is a hash of what it is and states, ``digest`` the SHA-256 of the file. ``confirmable``: a person's
    word is all that is missing.
    """

    __tablename__ = "uploads"
    __table_args__ = (
        UniqueConstraint("feed_id", "known_by"),
        Index("ix_uploads_state_changed_at", "state", "changed_at"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    public_id: Mapped[UUID] = mapped_column(unique=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    known_by: Mapped[bytes] = mapped_column(LargeBinary(16).with_variant(BINARY(16), "mysql", "mariadb"))
    digest: Mapped[bytes] = mapped_column(LargeBinary(32).with_variant(BINARY(32), "mysql", "mariadb"))
    name: Mapped[str] = mapped_column(_NAME)
    size: Mapped[int] = mapped_column(BigInteger)
    export_id: Mapped[int | None] = mapped_column(BigInteger)
    part: Mapped[int] = mapped_column(SmallInteger)
    confirmed: Mapped[bool]
    state: Mapped[str] = mapped_column(ascii_text(16))
    problem: Mapped[str | None] = mapped_column(String(1000))
    confirmable: Mapped[bool]
    task_id: Mapped[UUID | None]
    begun_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    begun_at: Mapped[datetime] = mapped_column(Moment)
    changed_at: Mapped[datetime] = mapped_column(Moment)
    staged_at: Mapped[datetime | None] = mapped_column(Moment)
    """When all of its rows were there."""
    delivery_id: Mapped[int | None] = mapped_column(BigInteger)


class UploadPieceRow(Base):
    """A piece of a file, until the file is taken or given up."""

    __tablename__ = "upload_pieces"

    upload_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    number: Mapped[int] = mapped_column(SmallInteger, primary_key=True, autoincrement=False)
    content: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB, "mysql", "mariadb"))


def known_upload(tx: Session, feed: int, known_by: bytes) -> UploadRow | None:
    """The upload of a feed that is known by a hash, for a decision."""
    query = select(UploadRow).where(UploadRow.feed_id == feed, UploadRow.known_by == known_by)
    return tx.scalars(query.with_for_update()).first()


def find_upload(tx: Session, upload: UUID) -> UploadRow | None:
    """An upload by what it is called outside."""
    return tx.scalars(select(UploadRow).where(UploadRow.public_id == upload)).first()


def lock_upload(tx: Session, upload: int) -> UploadRow | None:
    """An upload by its number, for a decision."""
    query = select(UploadRow).where(UploadRow.id == upload).with_for_update()
    return tx.scalars(query, execution_options={"populate_existing": True}).first()


def uploads_of(tx: Session, feed: int, states: Sequence[str], most: int) -> list[UploadRow]:
    """A feed's uploads in some states, the newest first."""
    query = select(UploadRow).where(UploadRow.feed_id == feed, UploadRow.state.in_(states))
    return list(tx.scalars(query.order_by(UploadRow.id.desc()).limit(most)))


def of_export(tx: Session, export: int) -> list[UploadRow]:
    """The uploads of an export that were not given up, by their part."""
    row = UploadRow
    query = select(row).where(row.export_id == export, row.state != UploadState.GIVEN_UP)
    return list(tx.scalars(query.order_by(row.part)))


def exports_of_uploads() -> Select[int | None]:
    """Exports that files come of in pieces, to be left out of a query."""
    return select(UploadRow.export_id).where(UploadRow.export_id.is_not(None))


def has_uploads(tx: Session, export: int) -> bool:
    """Whether an export has any uploads, also given up ones."""
    return tx.scalars(select(UploadRow.id).where(UploadRow.export_id == export).limit(1)).first() is not None


def put_piece(tx: Session, upload: int, number: int, content: bytes) -> None:
    """Keep a piece, in the place of one that came before."""
    values = {"upload_id": upload, "number": number, "content": content}
    tx.execute(insert(UploadPieceRow).values(values).on_duplicate_key_update(content=content))


def pieces_there(tx: Session, uploads: Collection[int]) -> dict[int, set[int]]:
    """Which pieces of uploads are there, by upload."""
    row = UploadPieceRow
    found: dict[int, set[int]] = defaultdict(set)
    for upload, number in tx.execute(select(row.upload_id, row.number).where(row.upload_id.in_(uploads))):
        found[upload].add(number)
    return found


def read_piece(tx: Session, upload: int, number: int) -> bytes | None:
    """A piece of an upload."""
    return tx.scalar(
        select(UploadPieceRow.content).where(UploadPieceRow.upload_id == upload, UploadPieceRow.number == number)
    )


def drop_pieces(tx: Session, upload: int) -> None:
    """Forget what came of an upload."""
    tx.execute(delete(UploadPieceRow).where(UploadPieceRow.upload_id == upload))


def left_uploads(tx: Session, states: Collection[str], before: datetime) -> list[int]:
    """Uploads in some states since before a moment, by number."""
    row = UploadRow
    query = select(row.id).where(row.state.in_(states), row.changed_at < before)
    return list(tx.scalars(query.order_by(row.id)))


def ended_uploads(tx: Session) -> list[int]:
    """Uploads that were given up and whose rows are still there, by number."""
    row = UploadRow
    query = select(row.id).where(row.state == UploadState.GIVEN_UP, row.export_id.is_not(None))
    return list(tx.scalars(query.order_by(row.id)))
