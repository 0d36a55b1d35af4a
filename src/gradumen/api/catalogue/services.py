"""Route of services."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.catalogue import plan_lists
from gradumen.wire.catalogue.services import PublishedServiceBody
from gradumen.wire.values import Page

router = Router()


@router.get("/services", tags=["catalogue"])
def list_services(uow: Uow, caller: CallerHere) -> Page[PublishedServiceBody]:
    """The services of the caller's own, of those below it, and of plans that it sees."""
    return Page(items=[PublishedServiceBody.of(each) for each in plan_lists.list_services(uow, caller)])
