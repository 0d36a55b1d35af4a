"""Routes of the business clock."""

from gradumen.api.calls import CallerHere, Configured, Uow
from gradumen.api.routers import Router
from gradumen.usecases import clock
from gradumen.usecases.rating.current_charges import open_periods
from gradumen.wire.clock import ClockBody, ClockUpdate

router = Router(prefix="/clock", tags=["clock"])


@router.get("")
def read_clock(uow: Uow, caller: CallerHere) -> ClockBody:
    """The business time."""
    return clock.read_clock(uow, caller)


@router.put("")
def set_clock(body: ClockUpdate, uow: Uow, caller: CallerHere, settings: Configured) -> ClockBody:
    """Move the business clock, where the settings allow it. Safe to repeat."""
    state = clock.set_clock(uow, caller, to=body.to, held=body.held, allowed=settings.clock_control)
    open_periods(uow, at=caller.at)
    return state
