"""Route of what came in of which nothing says what it is."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import unknown_kinds
from gradumen.wire.metering.kind_rules import UnknownKindsBody

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/unknown-kinds")
def list_unknown_kinds(organisation: str, period: str, uow: Uow, caller: CallerHere) -> UnknownKindsBody:
    """What of a seller's feeds is of unknown kind in a month of UTC, as it was sent, and why."""
    return unknown_kinds.list_unknown_kinds(uow, caller, organisation=organisation, period=period)
