"""Route of what is charged with composites, or as their components."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.rating import composites
from gradumen.wire.rating.composites import CompositeUsagesBody

router = Router(tags=["usage"])


@router.get("/organisations/{organisation}/composites")
def list_composites(
    organisation: str,
    period: str,
    uow: Uow,
    caller: CallerHere,
    resource: Annotated[str | None, Query(max_length=191)] = None,
    limit: Annotated[int, Query()] = 500,
) -> CompositeUsagesBody:
    """What of a month is charged with other usage, to an organisation's customers and to itself; for its members alone.

    Components are charged with their composite, or it as these: the rate card says which. A ``resource`` is either.
    """
    return composites.list_composites(
        uow, caller, organisation=organisation, period=period, resource=resource, limit=page_limit(limit, 5000)
    )
