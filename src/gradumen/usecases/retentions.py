"""How long what the service knows is kept."""

from datetime import datetime

from gradumen.core.retentions import RETENTIONS, TASKS
from gradumen.store.tasks import drop_done
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.scope import Caller, load_scope
from gradumen.usecases.tasks import CLOUD_LIMITS, KINDS, MONTHS, OWNERS, USAGE_DAYS
from gradumen.wire.retentions import RetentionBody

BY_ITSELF = (MONTHS, USAGE_DAYS, CLOUD_LIMITS, OWNERS, KINDS)
"""Tasks that nobody is led to once they are done."""
FORGOTTEN = 1000


@use_case
def list_retentions(tx: Session, caller: Caller) -> list[RetentionBody]:
    """How long each kind of data is kept, the same for everybody who is signed in."""
    load_scope(tx, caller)
    return [
        RetentionBody(kind=each.kind, days=None if each.kept is None else each.kept.days, since=each.since)
        for each in RETENTIONS
    ]


def forget_tasks(uow: UnitOfWork, *, at: datetime) -> None:
    """Forget what the service did by itself, once that is long ago."""
    while _forget(uow, before=at - TASKS) == FORGOTTEN:
        pass


@use_case
def _forget(tx: Session, *, before: datetime) -> int:
    return drop_done(tx, BY_ITSELF, before, FORGOTTEN)
