"""Route of offers."""

from fastapi import APIRouter

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.usecases.catalogue import offers
from gradumen.wire.catalogue.offers import OfferBody
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


@router.get("/organisations/{organisation}/offers", tags=["catalogue"])
def list_offers(organisation: str, uow: Uow, caller: CallerHere) -> Page[OfferBody]:
    """What a seller offers to whom; offers are published like plans."""
    return Page(items=offers.list_offers(uow, caller, organisation=organisation))
