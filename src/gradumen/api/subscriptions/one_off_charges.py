"""Routes of one-off charges."""

from uuid import UUID

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.subscriptions import one_off_charges
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate
from gradumen.wire.values import Page

router = Router(tags=["billing"])


@router.get("/organisations/{seller}/one-off-charges")
def list_one_off_charges(seller: str, uow: Uow, caller: CallerHere) -> Page[OneOffChargeBody]:
    """What a seller has charged by hand, the latest first."""
    found = one_off_charges.list_one_off_charges(uow, caller, seller=seller)
    return Page(items=found)


@router.post("/one-off-charges", status_code=status.HTTP_201_CREATED, response_model=OneOffChargeBody)
def enter_one_off_charge(body: OneOffChargeCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Charge an amount by hand; it goes on the next document."""
    return answered(
        uow,
        once,
        201,
        lambda u: one_off_charges.enter_one_off_charge(u, caller, **body.model_dump()),
    )


@router.post("/one-off-charges/{charge_id}/withdraw")
def withdraw_one_off_charge(charge_id: UUID, uow: Uow, caller: CallerHere) -> OneOffChargeBody:
    """Take a one-off charge back; what is billed of it comes back on the next document. Safe to repeat."""
    return one_off_charges.withdraw_one_off_charge(uow, caller, charge_id=charge_id)
