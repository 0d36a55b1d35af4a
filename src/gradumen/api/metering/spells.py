"""Route of spells."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.metering import spells
from gradumen.wire.metering.spells import SpellsBody

router = Router()


@router.get("/organisations/{organisation}/spells", tags=["usage"])
def list_spells(
    organisation: str,
    period: str,
    uow: Uow,
    caller: CallerHere,
    resource: Annotated[str | None, Query(max_length=191)] = None,
    limit: Annotated[int, Query()] = 500,
) -> SpellsBody:
    """How long resources were as feeds say, of an organisation and all below, in a month: made, in a phase, gone.

    Of one ``resource`` also what was said of it, for members of the seller whose feed said it.
    """
    return spells.list_spells(
        uow, caller, organisation=organisation, period=period, resource=resource, limit=page_limit(limit, 5000)
    )
