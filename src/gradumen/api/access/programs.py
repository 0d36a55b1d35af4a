"""Routes of programs that are planned with an invitation."""

from uuid import UUID

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.access import programs
from gradumen.wire.access.programs import ProgramBody
from gradumen.wire.access.tokens import TokenBody
from gradumen.wire.values import Page

router = Router(tags=["tokens"])


@router.get("/programs")
def list_programs(uow: Uow, caller: CallerHere) -> Page[ProgramBody]:
    """The programs whose tokens the caller has not collected yet."""
    return Page(items=programs.list_programs(uow, caller))


@router.post("/programs/{program}/token", status_code=status.HTTP_201_CREATED)
def collect_token(program: UUID, uow: Uow, caller: CallerHere) -> TokenBody:
    """Make the token of a planned program, once. Its secret is in this answer only; the same again is refused."""
    return programs.collect_token(uow, caller, program=program)


@router.delete("/programs/{program}", status_code=status.HTTP_204_NO_CONTENT)
def drop_program(program: UUID, uow: Uow, caller: CallerHere) -> None:
    """Give a planned program up; safe to repeat."""
    programs.drop_program(uow, caller, program=program)
