"""How long resources were as feeds say, looked at."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from gradumen.core.catalogue.services import Meter
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.metering import seen_spells as store
from gradumen.store.metering.usage import attribute_sets, meter_rows, named_owners
from gradumen.store.organisations.tables import zone_name
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.metering.usage import seen_usage, spans_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.spells import SaidBody, SpellBody, SpellsBody


@use_case
def list_spells(
    tx: Session, caller: Caller, *, organisation: str, period: str, resource: str | None, limit: int
) -> SpellsBody:
    """The spells of an organisation's resources, and all below, in a month of its billing zone.

    Args:
        resource: only those of this name; then also what was said of it, by feeds of which the caller is a member.
    """
    scope, current = load_scope(tx, caller), usage_as_of(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    month = Period.parse(period)
    bounds = month.bounds(zone_of(zone_name(tx, owner.id, month.first_day)))
    found: list[tuple[store.SeenSpell, datetime, datetime]] = []
    owners: set[UUID] = set()
    for tree, (begins, until) in spans_of(tx, scope, *bounds):
        below = tree.below([owner.id])
        owners |= below
        seen = seen_usage(tx, scope, tree, below)
        rows = store.seen_spells(tx, seen, begins, until, resource, limit + 1)
        found += [(each, max(each.start, begins), min(each.end, until)) for each in rows]
    found.sort(key=lambda each: (each[0].resource, each[0].meter, each[1], each[0].project))
    return SpellsBody(
        organisation=organisation,
        period=period,
        items=_items(tx, found[:limit], owners),
        said=[] if resource is None else _said(tx, scope, resource, bounds),
        more=len(found) > limit,
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _items(
    tx: Session, found: Sequence[tuple[store.SeenSpell, datetime, datetime]], owners: set[UUID]
) -> list[SpellBody]:
    published, meters = load_published(tx), meter_rows(tx)
    sets = attribute_sets(tx, {each.attributes for each, _, _ in found})
    projects = named_owners(tx, owners)[1]
    return [
        SpellBody(
            resource=each.resource,
            meter=meters[each.meter].slug,
            meter_name=meter_name(meters[each.meter].slug, published),
            project=projects[each.project][0],
            project_name=projects[each.project][1],
            attributes=sets[each.attributes],
            level=each.level,
            unit=level_unit(published.meters[meters[each.meter].slug]),
            start=start,
            end=end,
            from_before=each.start < start,
            goes_on=each.is_open and end == each.end,
            inferred_end=each.is_inferred and end == each.end,
        )
        for each, start, end in found
    ]


def level_unit(meter: Meter) -> str:
    """What its levels are in."""
    unit = meter.reading_unit.text
    return (meter.counted or unit) if unit == "piece" else unit


def _said(tx: Session, scope: Scope, resource: str, bounds: tuple[datetime, datetime]) -> list[SaidBody]:
    """What feeds of the caller's own organisations said of a resource in a month, and last before."""
    published, meters = load_published(tx), meter_rows(tx)
    rows = store.said_of(tx, resource, scope.members_of(), *bounds)
    sets = attribute_sets(tx, {each.attributes for each in rows})
    return [
        SaidBody(
            at=each.at,
            meter=meters[each.meter].slug,
            level=each.level,
            unit=level_unit(published.meters[meters[each.meter].slug]),
            attributes=sets[each.attributes],
            feed=each.feed,
            source=each.source,
            event_id=each.event_id,
            owner=each.owner,
            account=each.account,
            received_at=each.received_at,
        )
        for each in rows
    ]
