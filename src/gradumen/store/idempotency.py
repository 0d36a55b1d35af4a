"""Idempotency keys: the answer of a call, kept so that its repetition gives the same."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import Text, delete
from sqlalchemy.dialects.mysql import LONGTEXT
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


class IdempotencyKeyRow(Base):
    __tablename__ = "idempotency_keys"

    caller_id: Mapped[UUID] = mapped_column(primary_key=True)
    route: Mapped[str] = mapped_column(ascii_text(190), primary_key=True)
    key: Mapped[str] = mapped_column(ascii_text(80), primary_key=True)
    body_hash: Mapped[str] = mapped_column(ascii_text(64))
    response: Mapped[str | None] = mapped_column(Text().with_variant(LONGTEXT, "mysql", "mariadb"))
    at: Mapped[datetime] = mapped_column(Moment, index=True)


def drop_keys(tx: Session, before: datetime, limit: int) -> int:
    """Forget so many keys of before a moment at most; gives how many."""
    dropped = tx.execute(
        delete(IdempotencyKeyRow).where(IdempotencyKeyRow.at < before).with_dialect_options(mysql_limit=limit)
    )
    return int(dropped.rowcount)  # type: ignore[attr-defined]  # a DELETE gives a cursor result
