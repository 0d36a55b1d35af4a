"""What comes in by feeds, beside what usually does: for whoever would otherwise chase files."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from gradumen.core.metering.feed_arrivals import DAYS, Pace, arrived
from gradumen.core.periods import midnight
from gradumen.core.permissions import Right
from gradumen.store.metering import feed_arrivals as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody

LOOKED_AT = timedelta(days=DAYS + 1)
HOUR, DAY = timedelta(hours=1), timedelta(days=1)


@use_case
def list_feed_arrivals(tx: Session, caller: Caller, *, organisation: str) -> list[FeedArrivalBody]:
    """What comes in by each feed of an organisation, by slug; for its own members."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    return arrivals_of(tx, owner, feeds_of(tx, owner.id), caller.at, scope.now)


def arrivals_of(
    tx: Session, owner: OrganisationRow, feeds: Sequence[FeedRow], at: datetime, now: datetime
) -> list[FeedArrivalBody]:
    """What comes in by feeds of an owner.

    Args:
        at: up to when it came.
        now: the business time that what was measured is beside.
    """
    came = store.came_of(tx, [each.id for each in feeds], at - LOOKED_AT, at) if feeds else {}
    return [_body(f"{owner.slug}/{each.slug}", each.name, came.get(each.id, store.CameOf()), now) for each in feeds]


def _body(path: str, name: str, came: store.CameOf, now: datetime) -> FeedArrivalBody:
    found = arrived(came.hours)
    costs_until = None if came.day is None else midnight(came.day + DAY)
    until = [each for each in (came.newest, costs_until) if each is not None]
    here = min(max(until), now) if until else None
    return FeedArrivalBody(
        feed=path,
        feed_name=name,
        pace=found.pace if came.last is None or came.hours else Pace.LATE,
        last_delivery=came.last,
        every_hours=found.every,
        here_until=here,
        hours_behind=None if here is None else int((now - here) / HOUR),
        items=found.items,
        usual_items=found.usual,
        refused=came.refused,
    )
