"""Route of what is known of a resource."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import resource_facts
from gradumen.wire.metering.resource_facts import ResourceFactsBody

router = Router(tags=["usage"])


@router.get("/organisations/{organisation}/resource-facts")
def get_resource_facts(organisation: str, resource: str, uow: Uow, caller: CallerHere) -> ResourceFactsBody:
    """Since when a resource is used, how long it has been quiet, who made it, and its tags and attributes."""
    return resource_facts.get_resource_facts(uow, caller, organisation=organisation, resource=resource)
