"""Route of a month's margin."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.spend.month_margins import month_margins
from gradumen.wire.spend.month_margins import MonthMarginsBody

router = Router(tags=["catalogue"])


@router.get("/organisations/{organisation}/margins", tags=["spend"], dependencies=EXPENSIVE)
def read_month_margins(organisation: str, uow: Uow, caller: CallerHere, period: str | None = None) -> MonthMarginsBody:
    """What a seller charged in a period, by buyer and service, beside what it cost; for its members alone."""
    return month_margins(uow, caller, organisation=organisation, period=period)
