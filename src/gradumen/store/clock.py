"""The business clock: one row that says how far it is from the real one, or where it is held."""

from datetime import datetime

from sqlalchemy import BigInteger
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment


class BusinessClockRow(Base):
    __tablename__ = "business_clock"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    held_at: Mapped[datetime | None] = mapped_column(Moment)
    offset_seconds: Mapped[int] = mapped_column(BigInteger)
