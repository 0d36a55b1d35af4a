"""Route of what is in use of what quotas limit."""

from datetime import date

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import uses
from gradumen.wire.metering.uses import UseBody, UseDayBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/uses", tags=["quotas"])
def list_uses(organisation: str, uow: Uow, caller: CallerHere) -> Page[UseBody]:
    """What an organisation and all below it use of what quotas limit: the newest whole hour's mean.

    Which meters count a measure is said by the services that publish them.
    """
    return Page(items=uses.list_uses(uow, caller, organisation=organisation))


@router.get("/organisations/{organisation}/uses/{measure}/days", tags=["quotas"])
def list_use_days(
    organisation: str, measure: str, uow: Uow, caller: CallerHere, first: date | None = None, end: date | None = None
) -> Page[UseDayBody]:
    """What they used of a measure on each UTC day from one until before another, and the limit of that day.

    The last 30 days unless others are asked for; of a stock days that are over.
    """
    found = uses.list_use_days(uow, caller, organisation=organisation, measure=measure, first=first, end=end)
    return Page(items=found)
