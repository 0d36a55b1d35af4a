"""Route of offers."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import offers
from gradumen.wire.catalogue.offers import OfferBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/offers", tags=["catalogue"])
def list_offers(organisation: str, uow: Uow, caller: CallerHere) -> Page[OfferBody]:
    """What a seller offers to whom; offers are published like plans."""
    return Page(items=offers.list_offers(uow, caller, organisation=organisation))
