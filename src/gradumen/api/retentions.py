"""Route of how long data is kept."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases import retentions
from gradumen.wire.retentions import RetentionBody
from gradumen.wire.values import Page

router = Router(tags=["record"])


@router.get("/retentions")
def list_retentions(uow: Uow, caller: CallerHere) -> Page[RetentionBody]:
    """How long the service keeps each kind of data."""
    return Page(items=retentions.list_retentions(uow, caller))
