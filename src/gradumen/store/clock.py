"""The business clock: one row that says how far it is from the real one, or where it is held."""

from datetime import datetime, timedelta

from sqlalchemy import BigInteger
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment
from gradumen.store.revisions import CLOCK, kept, revise


class BusinessClockRow(Base):
    __tablename__ = "business_clock"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    held_at: Mapped[datetime | None] = mapped_column(Moment)
    offset_seconds: Mapped[int] = mapped_column(BigInteger)


def business_time(tx: Session, real: datetime) -> datetime:
    """The business time at a real time, in whole seconds."""

    def read() -> tuple[datetime | None, timedelta]:
        row = tx.get_one(BusinessClockRow, 1)
        return row.held_at, timedelta(seconds=row.offset_seconds)

    held_at, offset = kept(tx, CLOCK, read)
    return (held_at or real + offset).replace(microsecond=0)


def clock_to_move(tx: Session) -> BusinessClockRow:
    """The clock, to be moved in this transaction; rivals wait for its token."""
    revise(tx, CLOCK)
    return tx.get_one(BusinessClockRow, 1, populate_existing=True)
