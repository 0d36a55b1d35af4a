"""Routes of prices that are about to change."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import price_changes
from gradumen.wire.catalogue.price_changes import PriceChangeBody
from gradumen.wire.values import Page

router = Router(tags=["catalogue"])


@router.get("/price-changes")
def list_price_changes(uow: Uow, caller: CallerHere) -> Page[PriceChangeBody]:
    """Prices that the caller's organisations pay and that are about to change, by day."""
    return Page(items=price_changes.list_price_changes(uow, caller))
