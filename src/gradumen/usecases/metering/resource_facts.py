"""What is known of a resource whatever the month: since when it is used, how long it is quiet, what is said of it."""

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta

from gradumen.core.metering.resource_facts import made_by
from gradumen.core.permissions import Right
from gradumen.store.metering import resource_facts as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.usage import Wanted, attribute_sets
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.metering.usage import seen_usage, spans_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.resource_facts import ResourceFactBody, ResourceFactsBody

LOOKED_BACK = timedelta(days=400)
DAY = timedelta(days=1)


@use_case
def get_resource_facts(tx: Session, caller: Caller, *, organisation: str, resource: str) -> ResourceFactsBody:
    """What is known of a resource that an organisation, or somebody below it, uses; all of the last 400 days.

    What was sent with it is told by feeds of which the caller is a member; to others what its usage is priced by.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    spans = list(_used(tx, scope, owner, resource))
    first = min((begins for begins, _, _ in spans), default=None)
    last = max((ends for _, ends, _ in spans), default=None)
    sets = {number for _, ends, of in spans if ends == last for number in store.sets_on(tx, of, ends)}
    own = scope.members_of()
    feeds = {row.id: row for each in sorted(own) for row in feeds_of(tx, each)}
    sent = store.sent_with(tx, list(feeds), resource) if feeds else []
    known = attribute_sets(tx, sets | {number for _, some in sent for number in some})
    facts: set[tuple[str | None, str, str]] = {
        (None, name, value) for number in sets for name, value in known[number].items()
    }
    for feed, some in sent:
        facts |= {(feeds[feed].name, name, value) for number in some for name, value in known[number].items()}
    # What a feed sent is told by that alone.
    by_feed = {(name, value) for feed, name, value in facts if feed is not None}
    told = sorted(
        (name, value, feed or "") for feed, name, value in facts if feed is not None or (name, value) not in by_feed
    )
    return ResourceFactsBody(
        organisation=owner.slug,
        resource=resource,
        first_used=first,
        last_used=last,
        quiet_days=None if last is None else max(0, (scope.now.date() - last).days),
        made_by=made_by({name: value} for name, value, _ in told),
        facts=[ResourceFactBody(name=name, value=value, feed=feed or None) for name, value, feed in told],
    )


def _used(tx: Session, scope: Scope, owner: OrganisationRow, resource: str) -> Iterator[tuple[date, date, Wanted]]:
    """The first and last day of use in each time in which nobody moved, as far as the caller sees it."""
    since = scope.now - LOOKED_BACK
    for tree, (begins, until) in spans_of(tx, scope, since, scope.now):
        wanted = Wanted(seen_usage(tx, scope, tree, tree.below([owner.id])), None, None, resource)
        # The days on which somebody moved are of both; of these nothing is told.
        first = _day(begins) if begins == since else _day(begins - timedelta.resolution) + DAY
        last = _day(until) if until >= scope.now else _day(until) - DAY
        found = store.used_between(tx, wanted, first, last)
        if found[0] is not None and found[1] is not None:
            yield found[0], found[1], wanted


def _day(moment: datetime) -> date:
    return moment.astimezone(UTC).date()
