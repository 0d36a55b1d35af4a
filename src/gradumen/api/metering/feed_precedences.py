"""Routes of which feed gives way to which, and of what both measured."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.metering import feed_precedences
from gradumen.wire.metering.feed_precedences import FeedComparisonBody, FeedPrecedencesBody, FeedPrecedencesSet
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/feed-precedences")
def list_feed_precedences(organisation: str, uow: Uow, caller: CallerHere) -> Page[FeedPrecedencesBody]:
    """The feeds of a seller that give way to others; for its own members."""
    return Page(items=feed_precedences.list_feed_precedences(uow, caller, organisation=organisation))


@router.put("/feeds/precedences", dependencies=EXPENSIVE)
def set_feed_precedences(feed: str, body: FeedPrecedencesSet, uow: Uow, caller: CallerHere) -> FeedPrecedencesBody:
    """Let a feed give way to others, and to no more than these, where they measure the same. Safe to repeat."""
    return feed_precedences.set_feed_precedences(uow, caller, feed=feed, to=body.to)


@router.get("/feeds/comparison", dependencies=EXPENSIVE)
def compare_feed(feed: str, period: str, uow: Uow, caller: CallerHere) -> FeedComparisonBody:
    """What a feed measured in a month where it gave way, beside what counts in its place."""
    return feed_precedences.compare_feed(uow, caller, feed=feed, period=period)
