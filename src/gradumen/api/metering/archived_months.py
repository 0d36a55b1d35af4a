"""Routes of the months of readings that are archived."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import archived_months
from gradumen.wire.metering.archived_months import ArchivedMonthsBody, ArchivedMonthsSet

router = Router(tags=["record"])


@router.get("/archived-months")
def get_archived_months(uow: Uow, caller: CallerHere) -> ArchivedMonthsBody:
    """Which months of readings are archived, in the whole installation; for the provider's people."""
    return archived_months.get_archived_months(uow, caller)


@router.put("/archived-months")
def set_archived_months(wanted: ArchivedMonthsSet, uow: Uow, caller: CallerHere) -> ArchivedMonthsBody:
    """Archive what was measured before a month, and bring back what is archived of that and later ones, by a task.

    What was measured then is fixed: nothing that comes in later, and no changed rule, makes its usage again. Charges
    still lead to the archived readings. The same again changes nothing.
    """
    return archived_months.set_archived_months(uow, caller, before=wanted.before)
