"""Route of first readings."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import first_readings
from gradumen.wire.metering.first_readings import FirstReadingBody
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/first-readings")
def list_first_readings(organisation: str, uow: Uow, caller: CallerHere) -> Page[FirstReadingBody]:
    """Of each account of an organisation in clouds when something was measured in it first."""
    return Page(items=first_readings.list_first_readings(uow, caller, organisation=organisation))
