"""The start of a service: what is looked at and put right before its processes are told. It loads little."""

from datetime import datetime

from gradumen.store import pairs, tasks
from gradumen.store.organisations.organisations import is_any
from gradumen.store.sealing import prove
from gradumen.store.unit_of_work import Session, use_case


@use_case
def begin(tx: Session, *, alone: bool, at: datetime) -> bool:
    """Check the keys at hand, and let go what workers had who are gone; gives whether a provider is set up.

    Args:
        alone: no other service is at the database, so no task and no pair can be with another worker.

    Raises:
        SealBroken: the keys are those of another database, or their file is gone.
    """
    prove(tx)
    if alone:
        tasks.release_leases(tx, at)
        pairs.release(tx)
    return is_any(tx)
