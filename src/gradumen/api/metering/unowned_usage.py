"""Route of the usage that nobody owns."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import unowned_usage
from gradumen.wire.metering.ownership_rules import UnownedUsagesBody

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/unowned-usage")
def list_unowned_usage(organisation: str, period: str, uow: Uow, caller: CallerHere) -> UnownedUsagesBody:
    """What of a seller's feeds is nobody's in a month of UTC, and how many readings are whose."""
    return unowned_usage.list_unowned_usage(uow, caller, organisation=organisation, period=period)
