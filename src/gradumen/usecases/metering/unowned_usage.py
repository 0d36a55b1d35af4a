"""The usage that nobody owns: what names no owner and no rule takes, by feed and account, with the count of all."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from uuid import UUID

from gradumen.core.metering.ownership import NOBODY
from gradumen.core.periods import Period, midnight, zone_of
from gradumen.core.permissions import Right
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.divided_days import resources_of_nobody
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.tables import FeedRow
from gradumen.store.tasks import find_under_way
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.metering.day_shares import shares_of_days
from gradumen.usecases.metering.gathered_usage import Gathered, Totals, cost_bodies
from gradumen.usecases.metering.moved_usage import (
    LOOKED_AT,
    costs_and_owners,
    naming_nobody,
)
from gradumen.usecases.metering.owners import Owners
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.usecases.tasks import OWNERS
from gradumen.wire.metering.ownership_rules import FeedReadingsBody, UnownedUsageBody, UnownedUsagesBody

EXAMPLES = 5


@use_case
def list_unowned_usage(tx: Session, caller: Caller, *, organisation: str, period: str) -> UnownedUsagesBody:
    """What of a seller's feeds is nobody's in a month of UTC; for its own members.

    Raises:
        Forbidden: the caller is none.
        Invalid: no such month.
    """
    # What is listed and whether that will be otherwise are of one moment, else the last change would not be seen.
    at_one_moment(tx)
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    month = Period.parse(period)
    first, end = (bound.astimezone(UTC).date() for bound in month.bounds(zone_of("UTC")))
    feeds = feeds_of(tx, seller.id)
    numbers = [each.id for each in feeds]
    groups, owners = naming_nobody(tx, numbers, first, end, [NOBODY])
    found: dict[tuple[str, str | None, str], Gathered] = defaultdict(Gathered)
    for group in _of_nobody(tx, groups[:LOOKED_AT], owners, scope.now.date()):
        feed = owners.feeds[group.resource]
        source, account = owners.said(group.origin)
        found[feed.feed, account, source].take(group, feed.resource, [NOBODY])
    more = len(groups) > LOOKED_AT
    if scope.is_member(seller.id, Right.READ_MONEY):
        more |= _add_costs(tx, found, numbers, first, end, scope.now.date())
    totals = Totals(tx, numbers, first, end, [NOBODY])
    named = {each.slug: each.name for each in feeds}
    items = [
        UnownedUsageBody(
            feed=f"{seller.slug}/{feed}",
            feed_name=named[feed],
            account=account,
            source=source,
            resources=len(there.names),
            examples=sorted(there.names)[:EXAMPLES],
            readings=there.readings,
            first_day=min(there.days),
            last_day=max(there.days),
            quantities=totals.of(there.places),
            costs=cost_bodies(there),
        )
        for (feed, account, source), there in found.items()
    ]
    return UnownedUsagesBody(
        organisation=seller.slug,
        period=period,
        items=sorted(items, key=lambda each: (-each.readings, each.feed, each.account is None, each.account)),
        feeds=_counted(tx, seller.slug, feeds, first, end),
        more=more,
        waiting=usage_as_of(tx, caller).waiting or find_under_way(tx, OWNERS, seller.id, seller.name) is not None,
    )


def _add_costs(
    tx: Session,
    found: dict[tuple[str, str | None, str], Gathered],
    feeds: Sequence[int],
    first: date,
    end: date,
    today: date,
) -> bool:
    """Add what is nobody's of imported costs, but for what is divided when its day is over; True where not all was."""
    costs, owners = costs_and_owners(tx, feeds, first, end, nobodys=True)
    for cost in costs[:LOOKED_AT]:
        of = owners.find(cost.resource, cost.meter, cost.origin, cost.attributes, midnight(cost.first))
        if of is None or not of.rule.by_usage or cost.first < today:
            feed = owners.feeds[cost.resource]
            source, account = owners.said(cost.origin)
            found[feed.feed, account, source].cost(cost, feed.resource)
    return len(costs) > LOOKED_AT


def _of_nobody(tx: Session, groups: Sequence[Group], owners: Owners, today: date) -> list[Group]:
    """Those that no rule takes, and those of days that are over on which nobody used what they are divided by."""
    taken = [owners.find(each.resource, each.meter, each.origin, each.attributes, each.at) for each in groups]
    divided = [
        {(of.rule.by_usage, day) for day in {each.day, each.last} if day < today} if of and of.rule.by_usage else set()
        for each, of in zip(groups, taken, strict=True)
    ]
    shares = shares_of_days(tx, set().union(*divided), today)
    return [
        each
        for each, of, days in zip(groups, taken, divided, strict=True)
        if of is None or any(shares[day] == ((NOBODY, 1),) for day in days)
    ]


def _counted(tx: Session, seller: str, feeds: list[FeedRow], first: date, end: date) -> list[FeedReadingsBody]:
    """Every reading that stands is somebody's or nobody's, or gave way."""
    counts = store.counted(tx, [each.id for each in feeds], first, end)
    found = []
    for feed in feeds:
        readings, nobodys, gave_way = counts.get(feed.id, (0, 0, 0))
        body = FeedReadingsBody(
            feed=f"{seller}/{feed.slug}",
            feed_name=feed.name,
            readings=readings,
            owned=readings - nobodys - gave_way,
            nobodys=nobodys,
            gave_way=gave_way,
        )
        found.append(body)
    return found


def count_unowned(tx: Session, seller: UUID, now: datetime) -> int:
    """How many resources of a seller's feeds have usage of the last five weeks that nobody owns."""
    return resources_of_nobody(tx, [each.id for each in feeds_of(tx, seller)], (now - timedelta(days=35)).date())
