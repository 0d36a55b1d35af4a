"""Routes of moves."""

from uuid import UUID

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.subscriptions import moves
from gradumen.wire.subscriptions.moves import MoveBody, MoveCreate
from gradumen.wire.values import Page

router = Router(prefix="/organisations/{organisation}/moves", tags=["subscriptions"])


@router.get("")
def list_moves(organisation: str, uow: Uow, caller: CallerHere) -> Page[MoveBody]:
    """The moves of an organisation under other sellers: planned, done and withdrawn, the latest first."""
    return Page(items=moves.list_moves(uow, caller, organisation=organisation))


@router.post("")
def plan_move(organisation: str, body: MoveCreate, uow: Uow, caller: CallerHere) -> MoveBody:
    """Plan one from a day on, or with ``check`` see what it would do; for who sells to both. Safe to repeat."""
    return moves.plan_move(uow, caller, organisation=organisation, wanted=body)


@router.post("/{move}/withdraw")
def withdraw_move(organisation: str, move: UUID, uow: Uow, caller: CallerHere) -> MoveBody:
    """Take a planned one back. Safe to repeat."""
    return moves.withdraw_move(uow, caller, organisation=organisation, move=move)
