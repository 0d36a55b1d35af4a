"""Route of price margins."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import price_margins
from gradumen.wire.catalogue.price_margins import PriceMarginsBody

router = Router(tags=["catalogue"])


@router.get("/rate-cards/{seller}/{slug}/margins")
def compare_prices(
    seller: str, slug: str, uow: Uow, caller: CallerHere, against: str | None = None
) -> PriceMarginsBody:
    """Buy price, sell price and margin of each rate, for members of the seller; ``against`` is seller/card."""
    return price_margins.compare_prices(uow, caller, seller=seller, slug=slug, against=against)
