"""Route of what today's rules price differently."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.billing import rating_differences
from gradumen.wire.billing.rating_differences import RatingDifferenceBody
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/rating-differences", tags=["bill runs"], dependencies=EXPENSIVE)
def list_rating_differences(organisation: str, uow: Uow, caller: CallerHere) -> Page[RatingDifferenceBody]:
    """What today's rules would price differently of issued months whose usage is unchanged; nothing is billed by it."""
    found = rating_differences.list_rating_differences(uow, caller, organisation=organisation)
    return Page(items=found)
