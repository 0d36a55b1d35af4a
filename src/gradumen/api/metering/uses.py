"""Route of what is in use of what quotas limit."""

from fastapi import APIRouter

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.usecases.metering import uses
from gradumen.wire.metering.uses import UseBody
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


@router.get("/organisations/{organisation}/uses", tags=["quotas"])
def list_uses(organisation: str, uow: Uow, caller: CallerHere) -> Page[UseBody]:
    """What an organisation and all below it use of what quotas limit: the newest whole hour's mean.

    Which meters count a measure is said by the services that publish them.
    """
    return Page(items=uses.list_uses(uow, caller, organisation=organisation))
