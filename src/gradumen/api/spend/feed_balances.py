"""Routes of what became of all that came in by feeds, and of signing a feed's month off."""

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.spend import feed_balances
from gradumen.wire.spend.feed_balances import FeedBalancesBody, FeedSignOff

router = Router(tags=["spend"])


@router.get("/organisations/{organisation}/feed-balances", dependencies=EXPENSIVE)
def list_feed_balances(
    organisation: str, period: str, uow: Uow, caller: CallerHere, feed: str | None = None
) -> FeedBalancesBody:
    """Of all that came in by a seller's feeds in a month, what became of it; for its members alone."""
    return feed_balances.list_feed_balances(uow, caller, organisation=organisation, period=period, feed=feed)


@router.put("/feeds/sign-off", dependencies=EXPENSIVE)
def sign_off_feed(feed: str, period: str, body: FeedSignOff, uow: Uow, caller: CallerHere) -> FeedBalancesBody:
    """Sign a feed's month off as it is now; what is open needs a reason. Safe to repeat."""
    return feed_balances.sign_off(uow, caller, feed=feed, period=period, reason=body.reason)


@router.delete("/feeds/sign-off", status_code=status.HTTP_204_NO_CONTENT)
def withdraw_feed_sign_off(feed: str, period: str, uow: Uow, caller: CallerHere) -> None:
    """Take a sign-off back. Safe to repeat."""
    feed_balances.withdraw_sign_off(uow, caller, feed=feed, period=period)
