"""Quotas: granted down the tree, with the caller's figures in every refusal."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import EditedMeanwhile, Forbidden
from gradumen.core.exact import add, text
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Measure
from gradumen.core.quotas.quotas import Holding, check_grant
from gradumen.store.organisations.sites import sites_by_id
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, Tree, coming_sellers, load_tree, seen_since
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.pools import PoolRow, pools_by_id
from gradumen.store.quotas.quotas import changes_of, note_change, quotas_of
from gradumen.store.quotas.site_quotas import site_quotas_of
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Overtaken, Session, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.cloud_limits import want_cloud_limits
from gradumen.usecases.limits import Limits, absent_quota, counted, lock_quota, say_unlimited
from gradumen.usecases.project_limits import Nest, name_project_givers
from gradumen.usecases.quotas.limit_checks import check_figures, check_sites_inside, check_subscribed, set_soft
from gradumen.usecases.quotas.tier_quotas import promised_by_tiers
from gradumen.usecases.scope import Caller, Scope, get_organisation, get_project, load_scope
from gradumen.wire.quotas.quotas import QuotaBody, QuotaChangeBody, SoftLimit


@use_case
def list_quotas(tx: Session, caller: Caller, *, organisation: str) -> list[QuotaBody]:
    """The quotas of an organisation, then of its projects, measure by measure."""
    scope = load_scope(tx, caller)
    return quotas_held(tx, scope, get_organisation(tx, scope, organisation))


def quotas_held(tx: Session, scope: Scope, owner: OrganisationRow) -> list[QuotaBody]:
    """The quotas of an organisation that is seen, then of its projects."""
    held = _Held(tx, scope, owner)
    rows = quotas_of(tx, owner.id)
    nest = Nest(tx, owner, rows)
    projects = {row.id: row.slug for row in nest.projects.values()}
    found = {(row.project_id, row.measure): row for row in rows}
    bodies: list[QuotaBody] = []
    for measure in load_measures(tx).listed:
        row = found.get((None, measure)) or absent_quota(scope.tree, owner, owner.id, None, measure)
        bodies.append(_view(owner.slug, None, row, held.holding(row, owner.name)))
        for project_id, slug in sorted(projects.items(), key=lambda each: each[1]):
            given = found.get((project_id, measure))
            if given is not None and given.is_set:
                bodies.append(_project_view(owner, nest, nest.projects[project_id], given, held.holding(given, slug)))
    return bodies


def _project_view(owner: OrganisationRow, nest: Nest, project: ProjectRow, row: QuotaRow, held: Holding) -> QuotaBody:
    """A limit of a project, with what others have inside it, and the project inside whose limit it lies."""
    above = nest.above(project.id, row.measure)
    body = _view(owner.slug, project.slug, row, nest.with_passed_on(held, project.id))
    return body.model_copy(update={"inside": above.slug if above else None})


def _pool_name(scope: Scope, pool: PoolRow, labels: Mapping[UUID, str | None]) -> str:
    """A pool's name for its owner's people, for others what it is called to them."""
    return pool.name if scope.is_member(pool.organisation_id) else labels.get(pool.id) or "a pool"


class _Held:
    """What an organisation holds of each measure, with what it has itself."""

    def __init__(self, tx: Session, scope: Scope, owner: OrganisationRow, limits: Limits | None = None) -> None:
        """``limits`` are those of the owner, among others, where they are read already."""
        self.owner = owner
        self.limits = limits or Limits(tx, scope.tree, [owner.id])
        promised = promised_by_tiers(tx, owner.id, scope.now.date(), load_published(tx))
        self.own: dict[str, Decimal] = defaultdict(Decimal)
        self.own.update(counted(tx, scope.tree, owner.id, scope.caller.at).items())
        for (_, measure), amount in promised.items():
            self.own[measure] = add([self.own[measure], amount])

    def holding(self, row: QuotaRow, name: str) -> Holding:
        """What the holder of a row of this organisation's has."""
        own = self.own.get(row.measure, Decimal(0)) if row.project_id is None else Decimal(0)
        return replace(self.limits.holding(row, self.owner.slug, own), name=name)


def holdings(tx: Session, scope: Scope, owner: OrganisationRow, limits: Limits) -> dict[Measure, Holding]:
    """What an organisation holds of each measure, whose limits are read already."""
    held = _Held(tx, scope, owner, limits)
    measures = load_measures(tx).listed
    absent = {measure: absent_quota(scope.tree, owner, owner.id, None, measure) for measure in measures}
    rows = {row.measure: row for row in quotas_of(tx, owner.id) if row.project_id is None}
    return {measure: held.holding(rows.get(measure, absent[measure]), owner.name) for measure in measures}


@use_case
def list_quota_changes(
    tx: Session, caller: Caller, *, organisation: str, measure: str | None, after: int | None, limit: int
) -> list[QuotaChangeBody]:
    """What an organisation and its projects might have when, the latest first, after one of them.

    It begins with what somebody set: before, what the giver had decided. A seller reads what was since it came.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    since, measures = seen_since(tx, scope.members_of(), owner.id, scope.now), load_measures(tx)
    wanted = None if measure is None else measures.ever.read(measure)
    changes = changes_of(tx, owner.id, wanted, before=after, since=since, limit=limit)
    sites = sites_by_id(tx, {row.site_id for row, _ in changes if row.site_id})
    pools = pools_by_id(tx, {row.pool_id for row, _ in changes if row.pool_id})
    labels = {row.pool_id: row.label for row in site_quotas_of(tx, owner.id) if row.pool_id} if pools else {}
    return [
        QuotaChangeBody(
            id=row.id,
            project=slug,
            site=sites[row.site_id].name if row.site_id else None,
            pool=_pool_name(scope, pools[row.pool_id], labels) if row.pool_id else None,
            measure=row.measure,
            unit=measures[row.measure].unit,
            limit=row.limit_value,
            released=not row.is_set,
            changed_at=row.changed_at,
        )
        for row, slug in changes
    ]


@use_case
def grant_quota(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    project: str | None,
    measure: str,
    limit: Decimal | None,
    reservation: Decimal | None,
    factor: Decimal | None,
    label: str | None,
    soft: SoftLimit | None,
    version: int | None,
) -> QuotaBody:
    """Set the limit of an organisation (given by its parent) or of a project (given by its organisation).

    The provider sets its own limit: what its clouds have. Setting what is there already changes nothing.

    Args:
        limit: in the measure's unit; None is no limit.
        soft: what use may exceed for some days; None leaves it as it is.
        version: of the quota that was looked at; None skips that check.

    Raises:
        QuotaExceeded: more than the giver has left, or no limit where the giver has one.
        QuotaBelowGranted: less than the holder has passed on or reserved.
        QuotaBelowSubscribed: less than the tiers of the holder's subscriptions promise.
        EditedMeanwhile: the quota is at another version.
    """
    return grant_limit(
        tx,
        load_scope(tx, caller),
        organisation=organisation,
        project=project,
        measure=load_measures(tx).read(measure),
        limit=limit,
        reservation=reservation,
        factor=factor,
        label=label,
        soft=soft,
        version=version,
    )


def grant_limit(
    tx: Session,
    scope: Scope,
    *,
    organisation: str,
    project: str | None,
    measure: Measure,
    limit: Decimal | None,
    reservation: Decimal | None = None,
    factor: Decimal | None = None,
    label: str | None = None,
    soft: SoftLimit | None = None,
    version: int | None = None,
) -> QuotaBody:
    """See `grant_quota`, whose refusals these are."""
    holder, target, givers = parties(tx, scope, organisation, project)
    giver = givers[0] if givers else None
    check_figures(limit, reservation, factor)
    for each in sorted(givers, key=lambda each: (len(scope.tree.chain(each.id)), each.id)):
        say_unlimited(tx, scope.tree, each.id, measure, scope.now)
        lock_quota(tx, scope.tree, each, each.id, None, measure)
    key = ((target or holder).id, measure)
    lock_quota(tx, scope.tree, holder, key[0], target, measure)
    check_parties(tx, scope, holder, target, givers)
    row = _at_version(tx.get_one(QuotaRow, key, populate_existing=True), version)
    before, was = _values(row), (row.is_set, row.limit_value)
    nest = Nest(tx, holder) if target else None
    taker = _taking(tx, scope, holder, target, row, reservation, factor)
    if nest and target:
        taker = nest.with_passed_on(taker, target.id)
    if limit is not None:
        check_sites_inside(tx, taker, key, limit)
    if target is None and limit is not None:
        check_subscribed(tx, holder, measure, limit, scope.now.date())
    giving = _giving(tx, scope, giver, taker.holder, measure)
    check_grant(nest.giving(giving, target.id) if nest and target else giving, taker, limit)
    for coming in givers[1:]:
        check_grant(_giving(tx, scope, coming, taker.holder, measure), taker, limit)
    row.limit_value, row.is_set, row.reservation, row.factor = limit, True, taker.reservation, taker.factor
    if was != (True, limit):
        note_change(tx, row, scope.now)
    row.giver_id, row.label = giver.id if giver else None, row.label if label is None else _label(label)
    row.next_giver_id = givers[1].id if len(givers) > 1 else None
    set_soft(row, measure, soft)
    tx.flush()
    changes = {"before": before, "after": _values(row)}
    if changes["before"] != changes["after"]:
        acting, what = acting_for(scope, (giver or holder).id, Right.MANAGE_QUOTAS), f"{taker.holder}: {measure}"
        record(tx, scope.caller, "quota set", acting, what, concerns=holder.id, **changes)
    if target is None and was != (True, limit):
        want_cloud_limits(tx, scope, holder)
    return _given(tx, scope, holder, target, row)


def _given(tx: Session, scope: Scope, holder: OrganisationRow, target: ProjectRow | None, row: QuotaRow) -> QuotaBody:
    """A limit as it was set; of a project, it may bear from now on what those below it have."""
    held = _Held(tx, scope, holder).holding(row, holder.name)
    if target is None:
        return _view(holder.slug, None, row, held)
    nest = Nest(tx, holder)
    name_project_givers(tx, nest, [(row.measure, None)])
    return _project_view(holder, nest, target, row, held)


def _label(raw: str) -> str | None:
    return name_of(raw, field="label") if raw else None


def _at_version(row: QuotaRow, version: int | None) -> QuotaRow:
    """A quota that nobody changed since it was looked at; writing it for this decision counted one."""
    if version is not None and version != row.version - 1:
        raise EditedMeanwhile(
            f"this quota is at version {row.version - 1}, you changed {version}; look again and repeat",
            version=row.version - 1,
        )
    return row


def parties(
    tx: Session, scope: Scope, organisation: str, project: str | None
) -> tuple[OrganisationRow, ProjectRow | None, list[OrganisationRow]]:
    """Who is to hold a quota, or which project of it, and who gives it: nobody to the provider.

    To one that is to move, it is the seller of now first and then the one to come: both have it to give.

    Raises:
        NotFound: the organisation or project is not in scope.
        Forbidden: the caller may not give it.
    """
    holder = get_organisation(tx, scope, organisation)
    target = get_project(tx, holder, project) if project is not None else None
    givers = [holder.id] if target else _givers(tx, scope.tree, scope, holder.id)
    if not scope.may(Right.MANAGE_QUOTAS, givers[0] if givers else holder.id):
        if target:
            raise Forbidden(right=Right.MANAGE_QUOTAS, organisation=holder.slug, name=holder.name)
        raise scope.refused_by_seller(tx, Right.MANAGE_QUOTAS, holder)
    return holder, target, [tx.get_one(OrganisationRow, each) for each in givers]


def _givers(tx: Session, tree: Tree, scope: Scope, holder: UUID) -> list[UUID]:
    found = (tree.parents.get(holder), coming_sellers(tx, scope.now).get(holder))
    return [each for each in found if each is not None]


def check_parties(
    tx: Session, scope: Scope, holder: OrganisationRow, target: ProjectRow | None, givers: list[OrganisationRow]
) -> None:
    """Check, now that rivals wait, that the holder's sellers are still those whose rows were written.

    Raises:
        Overtaken: it was moved, or is to move, meanwhile.
    """
    if target is None and _givers(tx, load_tree(tx, scope.now), scope, holder.id) != [each.id for each in givers]:
        raise Overtaken


def _taking(
    tx: Session,
    scope: Scope,
    holder: OrganisationRow,
    target: ProjectRow | None,
    row: QuotaRow,
    reservation: Decimal | None,
    factor: Decimal | None,
) -> Holding:
    """What an organisation, or a project of it, would hold; its row is written."""
    held = _Held(tx, scope, holder).holding(row, f"{target.name} of {holder.name}" if target else holder.name)
    return replace(
        held,
        holder=f"{holder.slug}/{target.slug}" if target else holder.slug,
        reservation=row.reservation if reservation is None else reservation,
        factor=factor or row.factor,
    )


def _giving(tx: Session, scope: Scope, giver: OrganisationRow | None, taker: str, measure: Measure) -> Holding:
    """What a giver, whose row is written, holds; the provider gives to itself, without limit."""
    if giver is None:
        return Holding(taker, measure, None)
    row = tx.get_one(QuotaRow, (giver.id, measure), populate_existing=True)
    return _Held(tx, scope, giver).holding(row, giver.name)


def _values(row: QuotaRow) -> dict[str, str | None]:
    """What of a quota is set by hand, as text."""
    figures = {
        "limit": row.limit_value if row.is_set else None,
        "reservation": row.reservation,
        "factor": row.factor,
        "soft limit": row.soft_limit,
        "days of grace": None if row.grace_days is None else Decimal(row.grace_days),
    }
    return {**{key: None if value is None else text(value) for key, value in figures.items()}, "label": row.label}


def _view(organisation: str, project: str | None, row: QuotaRow, held: Holding) -> QuotaBody:
    return QuotaBody(
        organisation=organisation,
        project=project,
        measure=row.measure,
        unit=held.measure.unit,
        kind=held.measure.kind,
        limit=held.limit,
        reservation=row.reservation,
        granted=held.granted,
        own=held.own,
        left=held.left,
        soft_limit=row.soft_limit,
        grace_days=row.grace_days,
        label=row.label,
        version=row.version,
    )
