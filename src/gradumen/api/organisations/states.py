"""Routes of the states of organisations."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.organisations import states
from gradumen.wire.organisations.states import StateCreate, StatesBody

router = Router(prefix="/organisations/{organisation}/states", tags=["organisations"])


@router.get("")
def list_states(organisation: str, uow: Uow, caller: CallerHere) -> StatesBody:
    """What an organisation is, was and will be, what that means, and what may follow."""
    return states.list_states(uow, caller, organisation=organisation)


@router.post("")
def change_state(organisation: str, body: StateCreate, uow: Uow, caller: CallerHere) -> StatesBody:
    """Bring it into another state, now or from a day on; its seller's to do. Safe to repeat."""
    return states.change_state(uow, caller, organisation=organisation, **body.model_dump())


@router.delete("/planned")
def withdraw_planned(organisation: str, uow: Uow, caller: CallerHere) -> StatesBody:
    """Forget what is planned. Safe to repeat."""
    return states.withdraw_planned(uow, caller, organisation=organisation)
