"""How often what is charged to an organisation changed, by month."""

from collections.abc import Collection
from datetime import date
from uuid import UUID

from sqlalchemy import BigInteger, ForeignKey
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base


class UsageRevisionRow(Base):
    """Counts the changes of an organisation's usage and subscriptions in a UTC month."""

    __tablename__ = "usage_revisions"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    month: Mapped[date] = mapped_column(primary_key=True)
    revision: Mapped[int] = mapped_column(BigInteger)


def touch_months(tx: Session, organisation: UUID, months: Collection[date]) -> None:
    """Count a change of an organisation's usage or subscriptions in these UTC months."""
    for month in months:
        statement = insert(UsageRevisionRow).values(organisation_id=organisation, month=month, revision=1)
        tx.execute(statement.on_duplicate_key_update(revision=UsageRevisionRow.revision + 1))
