"""Route of what became of usage."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.spend import usage_balances
from gradumen.wire.spend.usage_balances import UsageBalancesBody

router = Router(tags=["spend"])


@router.get("/organisations/{organisation}/usage-balances", dependencies=EXPENSIVE)
def list_usage_balances(organisation: str, period: str, uow: Uow, caller: CallerHere) -> UsageBalancesBody:
    """Of what a seller's customers used in a month, what is charged, covered, or not priced; for its members alone."""
    return usage_balances.list_usage_balances(uow, caller, organisation=organisation, period=period)
