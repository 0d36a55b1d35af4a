"""Routes of what is earned."""

from fastapi import APIRouter

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.usecases.catalogue import price_margins
from gradumen.usecases.metering import usage
from gradumen.usecases.spend.month_margins import month_margins
from gradumen.wire.catalogue.price_margins import MarginsBody
from gradumen.wire.spend.month_margins import MonthMarginsBody

router = APIRouter(route_class=StrictRoute, tags=["catalogue"])


@router.get("/rate-cards/{seller}/{slug}/margins")
def compare_prices(seller: str, slug: str, uow: Uow, caller: CallerHere, against: str | None = None) -> MarginsBody:
    """Buy price, sell price and margin of each rate, for members of the seller; ``against`` is seller/card."""
    return MarginsBody.of(price_margins.compare_prices(uow, caller, seller=seller, slug=slug, against=against))


@router.get("/organisations/{organisation}/margins", tags=["spend"], dependencies=EXPENSIVE)
def read_month_margins(organisation: str, uow: Uow, caller: CallerHere, period: str | None = None) -> MonthMarginsBody:
    """What a seller charged in a period, by buyer and service, beside what it cost; for its members alone."""
    usage.refresh_usage(uow)
    return MonthMarginsBody.of(month_margins(uow, caller, organisation=organisation, period=period))
