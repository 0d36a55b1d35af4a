"""One look at all that a worker may have to do."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from gradumen.store import pairs, tasks
from gradumen.store.metering.tables import StaleUsageRow


@dataclass(frozen=True, slots=True)
class Waiting:
    """Whether any task is due, any usage is marked, any pair is due."""

    tasks: bool
    marks: bool
    pairs: bool


def what_waits(tx: Session, at: datetime) -> Waiting:
    """What there is to do now, in one statement."""
    row = tx.execute(
        select(exists().where(tasks.is_due(at)), exists(select(StaleUsageRow.id)), exists().where(pairs.is_due(at)))
    ).one()
    return Waiting(*map(bool, row))
