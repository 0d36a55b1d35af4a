"""Which months of whom changed, so that they are rated again."""

from datetime import date
from uuid import UUID

from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.periods import Period
from gradumen.store.metering.tables import (
    UsageRevisionRow,
)


def touch_months(tx: Session, organisation: UUID, months: list[date]) -> None:
    """Count a change of an organisation's usage or subscriptions in these UTC months."""
    for month in months:
        statement = insert(UsageRevisionRow).values(organisation_id=organisation, month=month, revision=1)
        tx.execute(statement.on_duplicate_key_update(revision=UsageRevisionRow.revision + 1))


def months_since(starts_on: date, today: date) -> list[date]:
    """The months from a day to today, one more on either side for zones."""
    period, last = Period(starts_on.year, starts_on.month).before(), Period(today.year, today.month).next()
    months = []
    while period <= last:
        months.append(period.first_day)
        period = period.next()
    return months
