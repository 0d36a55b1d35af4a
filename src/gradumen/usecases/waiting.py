"""What a worker may have to do, seen in one short transaction."""

from datetime import datetime, timedelta

from gradumen.core.errors import NotFound
from gradumen.core.periods import Period, zone_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.store.waiting import Backlog, Waiting, backlog, what_waits
from gradumen.usecases.scope import Caller, business_now, load_scope


@use_case
def look(tx: Session, *, at: datetime) -> tuple[Waiting, Period]:
    """What waits, and the month of tomorrow in business time, whose pairs are there already when it begins."""
    now = business_now(tx, at)
    return what_waits(tx, at, now), Period.containing(now + timedelta(days=1), zone_of("UTC"))


@use_case
def read_backlog(tx: Session, caller: Caller) -> Backlog:
    """What the service has to do; for members of the provider, whose service it is.

    Raises:
        NotFound: the caller is none.
    """
    scope = load_scope(tx, caller)
    if not any(own not in scope.tree.parents for own in scope.members_of()):
        raise NotFound("page", "metrics")
    return backlog(tx)
