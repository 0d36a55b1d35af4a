"""Whose a resource is by what its feeds sent, and which rule says so."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, timedelta
from uuid import UUID

from gradumen.core.periods import Period, midnight, zone_of
from gradumen.core.permissions import Right
from gradumen.store.metering import resource_owners as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.kind_rules import origins_by_number
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.usage import meter_rows
from gradumen.store.organisations.projects import projects_by_path
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.held_usage import while_held
from gradumen.usecases.metering.owners import Owners
from gradumen.usecases.metering.usage import spans_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.resource_owners import ResourceOwnerBody, ResourceOwnersBody

MOST = 20_000
"""Groups of readings, alike and of one day, that are looked at."""
Why = tuple[str | None, str | None, str | None, str | None]
"""With which account something came, whom it names, the rule that takes it, and whose it is by that."""


@use_case
def list_resource_owners(
    tx: Session, caller: Caller, *, organisation: str, period: str, resource: str
) -> ResourceOwnersBody:
    """Whose a resource of a seller's feeds is in a month of UTC, and why; for its own members.

    Raises:
        Forbidden: the caller is none.
        Invalid: no such month.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    month = Period.parse(period)
    first, end = (bound.astimezone(UTC) for bound in month.bounds(zone_of("UTC")))
    groups = store.groups_of(tx, [each.id for each in feeds_of(tx, seller.id)], resource, first, end, MOST + 1)
    whole = while_held(tx, groups[:MOST], first.date())
    return ResourceOwnersBody(
        organisation=seller.slug,
        resource=resource,
        period=period,
        items=_items(tx, scope, seller, whole, (first.date(), end.date())),
        more=len(groups) > MOST,
    )


def _items(
    tx: Session, scope: Scope, seller: OrganisationRow, groups: Sequence[Group], days: tuple[date, date]
) -> list[ResourceOwnerBody]:
    """Groups with their reasons, those one after another together."""
    bounds = midnight(days[0]), midnight(days[1])
    owners = Owners(tx, {each.resource for each in groups}, *bounds, all_meters=True)
    origins = {each.origin for each in groups}
    owners.know(origins, {each.attributes for each in groups})
    sent = origins_by_number(tx, origins)
    below = frozenset[UUID]().union(*(tree.below([seller.id]) for tree, _ in spans_of(tx, scope, *bounds)))
    named_ones = projects_by_path(tx, {each.owner for each in sent.values() if each.owner is not None})
    there = {path for path, project in named_ones.items() if project.organisation_id in below}
    published, meters = load_published(tx), meter_rows(tx)
    runs: dict[tuple[str, int, Why], list[Group]] = {}
    for each in groups:
        origin = sent[each.origin]
        if origin.owner is not None:
            why: Why = (origin.account, origin.owner, None, origin.owner if origin.owner in there else None)
        else:
            by = owners.find(each.resource, each.meter, each.origin, each.attributes, each.at)
            why = (origin.account, None, by.rule.name if by else None, by.owner if by else None)
        _add(runs.setdefault((owners.feeds[each.resource].feed, each.meter, why), []), each)
    found = [
        ResourceOwnerBody(
            feed=f"{seller.slug}/{feed}",
            meter=meters[meter].slug,
            meter_name=meter_name(meters[meter].slug, published),
            account=account,
            named=named,
            rule=rule,
            owner=owner,
            first_day=run.day,
            last_day=run.last,
            readings=run.readings,
        )
        for (feed, meter, (account, named, rule, owner)), there_are in runs.items()
        for run in there_are
    ]
    return sorted(found, key=lambda each: (each.first_day, each.meter, each.feed, str(each.owner)))


def _add(runs: list[Group], group: Group) -> None:
    """Add a group of the last day or a later one: what goes on the day after is one with it."""
    # What is said of a moment ends with it, on the day before where that is midnight.
    group = replace(group, last=max(group.day, group.last))
    last = runs[-1] if runs else None
    if last is None or group.day > last.last + timedelta(days=1):
        runs.append(group)
    else:
        runs[-1] = replace(last, last=max(last.last, group.last), readings=last.readings + group.readings)
