"""Routes of charges."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.usecases.billing import invoices
from gradumen.wire.billing.charges import ChargeBody, ChargePartBody, ReadingBody
from gradumen.wire.billing.explanations import Explanation
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


@router.get("/charges/{charge_id}", tags=["charges"])
def explain_charge(charge_id: UUID, uow: Uow, caller: CallerHere) -> ChargeBody:
    """Why an amount is what it is."""
    found = invoices.explain_charge(uow, caller, charge_id=charge_id)
    return ChargeBody(
        id=found.id,
        rate_card=found.rate_card,
        currency=found.currency,
        quantity=found.quantity,
        amount=found.amount,
        service_start=found.service_start,
        service_end=found.service_end,
        evidence=found.evidence,
        explanation=Explanation.model_validate(found.explanation),
        parts=[ChargePartBody.of(part) for part in found.parts],
    )


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
    found = invoices.list_charge_readings(uow, caller, charge_id=charge_id, after=after, limit=size + 1)
    items = [ReadingBody.of(each) for each in found[:size]]
    return Page(items=items, next=str(after + size) if len(found) > size else None)
