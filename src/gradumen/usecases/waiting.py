"""What a worker may have to do, seen in one short transaction."""

from datetime import datetime, timedelta

from gradumen.core.periods import Period, zone_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.store.waiting import Waiting, what_waits
from gradumen.usecases.scope import business_now


@use_case
def look(tx: Session, *, at: datetime) -> tuple[Waiting, Period]:
    """What waits, and the month of tomorrow in business time, whose pairs are there already when it begins."""
    tomorrow = business_now(tx, at) + timedelta(days=1)
    return what_waits(tx, at), Period.containing(tomorrow, zone_of("UTC"))
