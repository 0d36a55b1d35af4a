"""Route of what needs somebody."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.spend import to_dos
from gradumen.wire.spend.to_dos import ToDoBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/to-dos", tags=["spend"])
def list_to_dos(organisation: str, uow: Uow, caller: CallerHere) -> Page[ToDoBody]:
    """What needs the organisation's members, the most pressing first: work, health, money, what is about to change."""
    return Page(items=to_dos.list_to_dos(uow, caller, organisation=organisation))
