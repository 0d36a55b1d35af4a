"""Limits at sites and of pools: within the limit of all sites, and given down the chain as that is."""

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import Conflict, Invalid, NotFound, QuotaBelowGranted, QuotaExceeded
from gradumen.core.exact import figure, text
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Measure, amount_words
from gradumen.core.quotas.quotas import Holding, check_grant, check_inside
from gradumen.store.organisations.sites import SiteRow, find_site, project_sites, sites_by_id
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.quotas import site_quotas as store
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.pools import find_pool, pools_by_id
from gradumen.store.quotas.site_quotas import SiteQuotaRow
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.cloud_limits import want_cloud_limits
from gradumen.usecases.limits import Limits, lock_quota
from gradumen.usecases.organisations.sites import knows_site, usable_sites
from gradumen.usecases.project_limits import Nest, name_project_givers
from gradumen.usecases.quotas.pools import placed
from gradumen.usecases.quotas.quotas import check_parties, parties
from gradumen.usecases.quotas.spots import Held, SetAside, Spot, of_project
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, may_have
from gradumen.wire.quotas.site_quotas import SiteQuotaBody, SiteQuotaGrant


@use_case
def list_site_quotas(tx: Session, caller: Caller, *, organisation: str) -> list[SiteQuotaBody]:
    """What an organisation in scope and its projects may have at sites and of pools, where anything is said of it.

    Of sites that the caller knows itself.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    held, measures = Held(tx, scope.tree, [owner.id]), load_measures(tx)
    rows, nest = store.site_quotas_of(tx, owner.id), Nest(tx, owner, places=True)
    sites = {row.id: row for row in usable_sites(tx, scope.tree, owner.id)}
    sites |= sites_by_id(tx, {row.site_id for row in rows})
    sites = {id: row for id, row in sites.items() if knows_site(scope, row)}
    pools = pools_by_id(tx, {row.pool_id for row in rows if row.pool_id})
    bodies: list[SiteQuotaBody] = []
    for site in sorted(sites.values(), key=lambda each: each.slug):
        own = site.organisation_id == owner.id
        spots = [
            Spot(site),
            *(Spot(site, pool) for pool in (held.pools(owner.id) if own else ()) if pool.site_id == site.id),
        ]
        spots += [
            Spot(site, pools[row.pool_id])
            for row in rows
            if row.pool_id and row.site_id == site.id and row.project_id is None
        ]
        for measure in measures.listed:
            for spot in spots:
                here = held.holding(owner, spot, measure)
                if (spot.pool is None or spot.pool.measure == measure) and (here.limit is not None or here.granted):
                    bodies.append(_view(owner, None, spot, here, held.rows.get((owner.id, measure, spot.id)), own=own))
        for row in rows:
            if row.project_id is not None and row.site_id == site.id:
                spot, unit = Spot(site, pools[row.pool_id] if row.pool_id else None), nest.projects[row.project_id]
                base = held.holding(owner, spot, measures[row.measure])
                there = of_project(base, unit.name, unit.slug, row.limit_value)
                bodies.append(_view(owner, unit, spot, nest.with_passed_on(there, unit.id, spot.id), row))
    return bodies


@use_case
def grant_site_quota(
    tx: Session, caller: Caller, *, organisation: str, site: UUID, measure: str, given: SiteQuotaGrant
) -> SiteQuotaBody:
    """Set, or take away, a limit at a site or of a pool there; given by whoever gives the limit of all sites.

    Raises:
        NotFound: the organisation is not in scope, or may not use that site.
        Forbidden: the caller may not give it.
        Invalid: the holder owns the site, whose pools are its limit.
        Conflict: the giver itself has no limit there to give on.
        QuotaExceeded: more than the giver has left there, or than the holder has in all.
        QuotaBelowGranted: less than what the holder has passed on there, or has of a pool there.
    """
    scope, what = load_scope(tx, caller), placed(tx, measure)
    holder, target, givers = parties(tx, scope, organisation, given.project)
    spot = _spot(tx, scope, holder, site, given.pool, what, taken=given.limit is None)
    if given.limit is not None:
        _check_meant(tx, scope, holder, target, spot)
    owner = spot.site.organisation_id
    if owner == holder.id and target is None:
        raise Invalid(f"{spot.site.name} is {holder.name}'s own: its pools say what there is", field="site")
    for each in sorted(givers, key=lambda each: (len(scope.tree.chain(each.id)), each.id)):
        lock_quota(tx, scope.tree, each, each.id, None, what)
    lock_quota(tx, scope.tree, holder, (target or holder).id, target, what)
    check_parties(tx, scope, holder, target, givers)
    held = Held(tx, scope.tree, [holder.id, *(each.id for each in givers)], [target.id] if target else [])
    nest = Nest(tx, holder, places=True) if target else None
    before = held.rows.get(((target or holder).id, what, spot.id))
    was = None if before is None else before.limit_value
    spot = replace(spot, called=_called(scope, held, givers[0], spot, what))
    taker = held.holding(holder, spot, what)
    if nest and target:
        taker = nest.with_passed_on(of_project(taker, target.name, target.slug, was), target.id, spot.id)
    if given.limit is None:
        _check_taken(tx, held, taker, holder, target, spot, what)
    else:
        _check_given(tx, scope, held, givers, taker, holder, target, spot, what, given.limit, nest)
    row = _write(tx, scope, before, holder, target, givers, spot, what, given)
    if was != given.limit:
        acting = acting_for(scope, givers[0].id, Right.MANAGE_QUOTAS)
        told = replace(spot, called=row.label or spot.called) if row else spot
        values = ({"limit": None if each is None else text(each)} for each in (was, given.limit))
        record(tx, caller, "quota set", acting, f"{taker.holder}: {what}{told.words}", concerns=holder.id,
               before=next(values), after=next(values))  # fmt: skip
        if target is None:
            want_cloud_limits(tx, scope, holder)
    after = Held(tx, scope.tree, [holder.id]).holding(holder, spot, what)
    if target is not None:
        nest = Nest(tx, holder, places=True)
        name_project_givers(tx, nest, [(what, spot.id)])
        after = of_project(after, target.name, target.slug, given.limit)
        after = nest.with_passed_on(after, target.id, spot.id)
    return _view(holder, target, spot, after, row, own=owner == holder.id)


def _called(scope: Scope, held: Held, giver: OrganisationRow, spot: Spot, measure: Measure) -> str | None:
    """What a giver was told that a pool is called, which is not its own; it calls its own by their names."""
    if spot.pool is None or scope.is_member(spot.pool.organisation_id):
        return None
    row = held.rows.get((giver.id, measure, spot.id))
    return row.label if row and row.label else f"a pool at {spot.site.name}"


def _spot(
    tx: Session,
    scope: Scope,
    holder: OrganisationRow,
    site: UUID,
    pool: UUID | None,
    measure: Measure,
    *,
    taken: bool,
) -> Spot:
    """A site that the holder may use and the caller knows, or a pool there of the measure.

    What was given where it may not be any more can still be taken away.

    Raises:
        NotFound: none of those.
    """
    row: SiteRow | None = find_site(tx, site)
    usable = {each.id for each in usable_sites(tx, scope.tree, holder.id)}
    if row is None or not (row.id in usable or taken) or not knows_site(scope, row):
        raise NotFound("site", site)
    if pool is None:
        return Spot(row)
    found = find_pool(tx, pool)
    if found is None or (found.retired_at and not taken) or found.site_id != row.id or found.measure != measure:
        raise NotFound("pool", pool)
    return Spot(row, found)


def _check_meant(tx: Session, scope: Scope, holder: OrganisationRow, target: ProjectRow | None, spot: Spot) -> None:
    """Check that a project is not held to other sites, and that a pool is not set aside for somebody else.

    Raises:
        Conflict: so it is.
    """
    held_to = project_sites(tx, target.id) if target else None
    if target is not None and held_to is not None and spot.site.id not in held_to:
        raise Conflict(f"{target.name} is held to other sites than {spot.site.name}; permit it first", field="site")
    if spot.pool is not None and not may_have(scope.tree, spot.pool.set_aside_id, holder.id):
        raise Conflict("that pool is set aside for somebody else", field="pool")


def _check_given(
    tx: Session,
    scope: Scope,
    held: Held,
    givers: Sequence[OrganisationRow],
    taker: Holding,
    holder: OrganisationRow,
    target: ProjectRow | None,
    spot: Spot,
    measure: Measure,
    limit: Decimal,
    nest: Nest | None,
) -> None:
    """Check that a limit fits what the givers have there, what the holder has in all, and what it has passed on."""
    if limit < 0:
        raise Invalid(f"limit {limit} is negative; give 0 or more", field="limit", value=limit)
    for each in givers:
        giver = held.holding(each, spot, measure)
        if giver.limit is None and each.id != spot.site.organisation_id:
            raise Conflict(
                f"{each.name} has no limit{spot.words} itself, so it gives none on there",
                field="limit",
                measure=measure,
            )
        check_grant(nest.giving(giver, target.id, spot.id) if nest and target else giver, taker, limit)
        if each.id == spot.site.organisation_id and spot.pool is None:
            _check_not_set_aside(tx, scope, taker, holder, spot, measure, limit)
    limits, key = Limits(tx, scope.tree, [holder.id]), ((target or holder).id, measure)
    outer = replace(limits.holding(tx.get_one(QuotaRow, key, populate_existing=True), taker.holder), name=taker.name)
    if target is None or tx.get_one(QuotaRow, key).is_set:
        check_inside(taker, limit, outer)
    elif nest and nest.above(target.id, measure):
        check_inside(taker, limit, nest.giving(outer, target.id))
    if spot.pool is not None:
        site = held.holding(holder, Spot(spot.site), measure)
        if target is not None:
            row = held.rows.get((target.id, measure, spot.site.id))
            site = of_project(site, target.name, target.slug, row.limit_value if row else None)
        check_inside(taker, limit, site)
    else:
        _check_pools_inside(held, taker, key[0], spot, measure, limit)


def _check_not_set_aside(
    tx: Session, scope: Scope, taker: Holding, holder: OrganisationRow, spot: Spot, measure: Measure, limit: Decimal
) -> None:
    """Check that a limit leaves what is set aside at a site to those for whom it is.

    Raises:
        QuotaExceeded: it does not.
    """
    most = SetAside(tx, scope.tree, spot.site, measure).most(holder.id)
    if most is not None and limit > most and limit > (taker.limit or 0):
        raise QuotaExceeded(
            f"{taker.name} can have at most {amount_words(measure, most)}{spot.words}: "
            "the rest is set aside for others",
            measure=measure,
            asked=text(limit),
            left=text(most),
            limit=text(most),
            holder=taker.holder,
        )


def _check_taken(
    tx: Session,
    held: Held,
    taker: Holding,
    holder: OrganisationRow,
    target: ProjectRow | None,
    spot: Spot,
    measure: Measure,
) -> None:
    """Check that a limit can be taken away: nothing of it is passed on, and of no pool there is any left."""
    check_grant(Holding(taker.holder, measure, None), taker, Decimal(0))
    if spot.pool is None:
        _check_pools_inside(held, taker, (target or holder).id, spot, measure, Decimal(0))


def _check_pools_inside(held: Held, taker: Holding, holder: UUID, spot: Spot, measure: Measure, limit: Decimal) -> None:
    """Check that a limit at a site is not below one of a pool there.

    Raises:
        QuotaBelowGranted: it is.
    """
    there = [
        row.limit_value
        for (each, of, _), row in held.rows.items()
        if (each, of) == (holder, measure) and row.site_id == spot.site.id and row.pool_id is not None
    ]
    if there and max(there) > limit:
        raise QuotaBelowGranted(
            f"{taker.name} has {amount_words(measure, max(there))} of a pool at {spot.site.name}, so {figure(limit)} "
            "are too few; take that back first",
            measure=measure,
            asked=text(limit),
            granted=text(max(there)),
            excess=text(max(there) - limit),
            holder=taker.holder,
        )


def _write(
    tx: Session,
    scope: Scope,
    row: SiteQuotaRow | None,
    holder: OrganisationRow,
    target: ProjectRow | None,
    givers: Sequence[OrganisationRow],
    spot: Spot,
    measure: Measure,
    given: SiteQuotaGrant,
) -> SiteQuotaRow | None:
    """Keep a limit, or forget it."""
    if given.limit is None:
        if row is not None:
            store.note_site_change(tx, row, scope.now, is_set=False)
            tx.delete(row)
            tx.flush()
        return None
    same = row is not None and row.limit_value == given.limit
    found = row or SiteQuotaRow(holder_id=(target or holder).id, measure=measure, spot_id=spot.id)
    found.site_id, found.pool_id = spot.site.id, spot.pool.id if spot.pool else None
    found.organisation_id, found.project_id = holder.id, target.id if target else None
    found.giver_id, found.next_giver_id = givers[0].id, givers[1].id if len(givers) > 1 else None
    found.limit_value = given.limit
    if given.label is not None:
        found.label = name_of(given.label, field="label") if given.label else None
    # Below, too, a pool is called as it was called to the giver.
    found.label = found.label or spot.called
    tx.add(found)
    tx.flush()
    if not same:
        store.note_site_change(tx, found, scope.now, is_set=True)
    return found


def _view(
    owner: OrganisationRow,
    project: ProjectRow | None,
    spot: Spot,
    held: Holding,
    row: SiteQuotaRow | None,
    *,
    own: bool = False,
) -> SiteQuotaBody:
    label = row.label if row else None
    return SiteQuotaBody(
        organisation=owner.slug,
        project=project.slug if project else None,
        site=spot.site.id,
        site_slug=spot.site.slug,
        site_name=spot.site.name,
        pool=spot.pool.id if spot.pool else None,
        pool_name=(label or spot.called or spot.pool.name) if spot.pool else None,
        measure=held.measure,
        unit=held.measure.unit,
        limit=held.limit,
        granted=held.granted,
        left=held.left,
        label=label,
        own=own,
    )
