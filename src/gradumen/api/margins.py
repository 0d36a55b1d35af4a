"""Routes of prices side by side."""

from fastapi import APIRouter

from gradumen.api.calls import CallerHere, Uow
from gradumen.usecases import margins
from gradumen.wire.margins import MarginsBody

router = APIRouter(tags=["catalogue"])


@router.get("/rate-cards/{seller}/{slug}/margins")
def compare_prices(seller: str, slug: str, uow: Uow, caller: CallerHere, against: str | None = None) -> MarginsBody:
    """Buy price, sell price and margin of each rate, for members of the seller; ``against`` is seller/card."""
    return MarginsBody.of(margins.compare_prices(uow, caller, seller=seller, slug=slug, against=against))
