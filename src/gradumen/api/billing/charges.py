"""Routes of charges."""

from typing import Annotated
from uuid import UUID

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.billing import charges
from gradumen.wire.billing.charges import ChargeBody, ReadingBody
from gradumen.wire.values import Page

router = Router()


@router.get("/charges/{charge_id}", tags=["charges"])
def explain_charge(charge_id: UUID, uow: Uow, caller: CallerHere) -> ChargeBody:
    """Why an amount is what it is."""
    return charges.explain_charge(uow, caller, charge_id=charge_id)


@router.get("/charges/{charge_id}/readings", tags=["charges"])
def list_charge_readings(
    charge_id: UUID,
    uow: Uow,
    caller: CallerHere,
    after: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query()] = 100,
) -> Page[ReadingBody]:
    """The readings that a charge was made from."""
    size = page_limit(limit)
    found = charges.list_charge_readings(uow, caller, charge_id=charge_id, after=after, limit=size + 1)
    return Page(items=found[:size], next=str(after + size) if len(found) > size else None)
