"""Limits of who is to move: held at the seller to come as well, from the plan of the move until its day."""

from dataclasses import replace
from decimal import Decimal

from gradumen.core.errors import Conflict, GradumenError
from gradumen.core.quotas.measures import Measure, amount_words, measure_words
from gradumen.core.quotas.quotas import Holding, check_counted, check_grant
from gradumen.store.organisations.tables import OrganisationRow, load_tree
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.pools import find_pool
from gradumen.store.quotas.quotas import name_givers
from gradumen.store.quotas.site_quotas import site_quotas_of
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.limits import Limits, counted, lock_quota, say_unlimited
from gradumen.usecases.organisations.sites import usable_sites
from gradumen.usecases.quotas.quotas import holdings
from gradumen.usecases.quotas.spots import Held, Spot
from gradumen.usecases.scope import Scope
from gradumen.wire.quotas.quotas import HeldBody


def hold_at(
    tx: Session, scope: Scope, holder: OrganisationRow, seller: OrganisationRow
) -> tuple[list[HeldBody], list[GradumenError]]:
    """Hold what an organisation may have at another seller, whose row of each measure is written first.

    Gives the limits that are held, and what of it does not fit.
    """
    for measure in load_measures(tx).listed:
        say_unlimited(tx, scope.tree, seller.id, measure, scope.now)
        lock_quota(tx, scope.tree, seller, seller.id, None, measure)
    for measure in load_measures(tx).listed:
        lock_quota(tx, scope.tree, holder, holder.id, None, measure)
    held: list[HeldBody] = []
    problems: list[GradumenError] = []
    limits = Limits(tx, scope.tree, [holder.id, seller.id])
    givers, takers = (holdings(tx, scope, each, limits) for each in (seller, holder))
    for measure in load_measures(tx).listed:
        row, giver, taker = limits.rows[holder.id, measure], givers[measure], takers[measure]
        limit = row.limit_value if row.is_set else None if giver.limit is None else Decimal(0)
        if not row.is_set and giver.limit is not None and (taker.committed or taker.unlimited_below):
            problems.append(_limit_first(holder, seller, taker))
            continue
        try:
            # Nothing of it is among what the other seller has given until now.
            check_grant(giver, replace(taker, limit=Decimal(0)), limit)
        except GradumenError as problem:
            problems.append(problem)
        if row.is_set:
            left = None if giver.left is None or limit is None else giver.left - limit
            held.append(HeldBody(measure=measure, unit=measure.unit, limit=limit, left=left))
    problems += _room_at_sites(tx, scope, holder, seller)
    name_givers(tx, holder.id, coming=seller.id)
    problems += _room_for_it(tx, scope, seller)
    return held, problems


def _room_at_sites(tx: Session, scope: Scope, holder: OrganisationRow, seller: OrganisationRow) -> list[GradumenError]:
    """What does not fit at sites: the rows of all measures are written by now."""
    spots = Held(tx, scope.tree, [seller.id])
    may = {row.id: row for row in usable_sites(tx, scope.tree, seller.id)}
    problems: list[GradumenError] = []
    for row in site_quotas_of(tx, holder.id):
        if row.project_id is not None:
            continue
        if row.site_id not in may:
            problems.append(Conflict(f"{holder.name} has limits at a site that {seller.name} may not use"))
            continue
        measure = load_measures(tx)[row.measure]
        spot = Spot(may[row.site_id], find_pool(tx, row.pool_id) if row.pool_id else None)
        taker = Holding(holder.slug, measure, Decimal(0), name=holder.name, where=spot.words)
        try:
            check_grant(spots.holding(seller, spot, measure), taker, row.limit_value)
        except GradumenError as problem:
            problems.append(problem)
    return problems


def _limit_first(holder: OrganisationRow, seller: OrganisationRow, taker: Holding) -> Conflict:
    """Who has no limit until now cannot be without one below a seller that has one."""
    words = measure_words(taker.measure)
    least = f" of at least {amount_words(taker.measure, taker.committed)}" if taker.committed else ""
    return Conflict(
        f"{seller.name} has a limit of {words}, so {holder.name} needs one{least} first", measure=taker.measure
    )


def _room_for_it(tx: Session, scope: Scope, seller: OrganisationRow) -> list[GradumenError]:
    """What stands against one organisation more below a seller; its edge is there already."""
    measure = Measure.ORGANISATIONS
    row = tx.get_one(QuotaRow, (seller.id, measure), populate_existing=True)
    tree = load_tree(tx, scope.now)
    others = counted(tx, tree, seller.id, scope.caller.at)[measure] - 1
    held: Holding = replace(Limits(tx, tree, [seller.id]).holding(row, seller.slug, others), name=seller.name)
    try:
        check_counted(held, 1)
    except GradumenError as problem:
        return [problem]
    return []
