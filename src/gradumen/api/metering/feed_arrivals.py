"""Route of what comes in by feeds."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import feed_arrivals
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/feed-arrivals")
def list_feed_arrivals(organisation: str, uow: Uow, caller: CallerHere) -> Page[FeedArrivalBody]:
    """Each feed of a seller: whether it is late, how far behind, how much came, and how much usually does."""
    return Page(items=feed_arrivals.list_feed_arrivals(uow, caller, organisation=organisation))
