"""Route of how much of a resource was used hour by hour."""

from datetime import date
from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.metering import loads
from gradumen.wire.metering.loads import LoadsBody

router = Router()


@router.get("/organisations/{organisation}/loads", tags=["usage"], dependencies=EXPENSIVE)
def list_loads(
    organisation: str,
    resource: Annotated[str, Query(max_length=191)],
    first: date,
    until: date,
    uow: Uow,
    caller: CallerHere,
) -> LoadsBody:
    """What an organisation and all below use of a resource in each hour, by meter: mean levels, or what flowed.

    Of days of UTC, from ``first`` up to (not including) ``until``, 92 at most.
    """
    return loads.list_loads(uow, caller, organisation=organisation, resource=resource, first=first, until=until)
