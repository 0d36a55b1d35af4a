"""Route of usage that is not priced."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.spend import not_priced
from gradumen.wire.spend.not_priced import NotPricedUsagesBody

router = Router(tags=["spend"])


@router.get("/organisations/{organisation}/not-priced", dependencies=EXPENSIVE)
def list_not_priced(organisation: str, period: str, uow: Uow, caller: CallerHere) -> NotPricedUsagesBody:
    """What of a month is not priced to a seller's customers: whose, of which resources, and why; for members alone."""
    return not_priced.list_not_priced(uow, caller, organisation=organisation, period=period)
