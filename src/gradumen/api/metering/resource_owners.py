"""Route of whose a resource is, and why."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import resource_owners
from gradumen.wire.metering.resource_owners import ResourceOwnersBody

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/resource-owners")
def list_resource_owners(
    organisation: str, period: str, resource: Annotated[str, Query(max_length=191)], uow: Uow, caller: CallerHere
) -> ResourceOwnersBody:
    """Whose a resource of a seller's feeds is in a month of UTC: whom its readings name, or which rule takes them."""
    return resource_owners.list_resource_owners(
        uow, caller, organisation=organisation, period=period, resource=resource
    )
