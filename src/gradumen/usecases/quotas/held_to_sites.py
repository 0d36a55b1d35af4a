"""Who is held to which sites: organisations by their sellers, projects by their organisations."""

from collections.abc import Collection
from uuid import UUID

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.permissions import Right
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.sites import project_sites, sites_by_id
from gradumen.store.organisations.sites import set_project_sites as hold_project
from gradumen.store.quotas.site_quotas import sites_of_holder, used_sites
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.organisations.sites import hold_to_sites, knows_site, usable_sites
from gradumen.usecases.scope import Caller, get_organisation, get_project, load_scope
from gradumen.wire.organisations.sites import PermittedSites


@use_case
def set_permitted_sites(tx: Session, caller: Caller, *, organisation: str, sites: list[UUID] | None) -> PermittedSites:
    """Hold an organisation, and with it all below, to some of its seller's sites; null is all of these.

    Raises:
        Conflict: some have limits at a site that it may not use any more.
        Forbidden, Invalid: see `gradumen.usecases.organisations.sites.hold_to_sites`.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    below, lost = hold_to_sites(tx, scope, owner, sites)
    count = used_sites(tx, below, {row.id for row in lost}) if lost else 0
    if count:
        names = ", ".join(row.name for row in lost)
        raise Conflict(
            f"{count} of {owner.name} and those below have limits at {names}; take them back first", field="sites"
        )
    return PermittedSites(sites=None if sites is None else sorted(set(sites)))


@use_case
def read_project_sites(tx: Session, caller: Caller, *, organisation: str, project: str) -> PermittedSites:
    """The sites that a project of an organisation in scope is held to, of those that the caller knows; null is all."""
    scope = load_scope(tx, caller)
    row = get_project(tx, get_organisation(tx, scope, organisation), project)
    held_to = project_sites(tx, row.id)
    if held_to is None:
        return PermittedSites(sites=None)
    rows = sites_by_id(tx, held_to).values()
    return PermittedSites(sites=sorted(each.id for each in rows if knows_site(scope, each)))


@use_case
def set_project_sites(
    tx: Session, caller: Caller, *, organisation: str, project: str, sites: list[UUID] | None
) -> PermittedSites:
    """Hold a project to some of the sites that its organisation may use; null is all of these.

    Raises:
        Forbidden: the caller may not change organisations.
        Invalid: it is none, or one that the organisation may not use.
        Conflict: the project has limits at a site that it may not use any more.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    row = get_project(tx, owner, project)
    scope.require(Right.MANAGE_ORGANISATIONS, owner)
    if sites is not None and not sites:
        raise Invalid("permit one site at least, or all by null", field="sites")
    lock_organisation(tx, owner.id)
    usable = {each.id: each for each in usable_sites(tx, scope.tree, owner.id) if knows_site(scope, each)}
    for site in sites or ():
        if site not in usable:
            raise Invalid(f"site {site} is none that {owner.name} may use", field="sites", value=site)
    lost = sites_of_holder(tx, row.id) - set(sites) if sites else set()
    if lost:
        names = ", ".join(each.name for each in sites_by_id(tx, lost).values())
        raise Conflict(f"{row.name} has limits at {names}; take them back first", field="sites")
    before = project_sites(tx, row.id)
    hold_project(tx, row.id, set(sites or ()))
    if before != (set(sites) if sites else None):
        acting = acting_for(scope, owner.id, Right.MANAGE_ORGANISATIONS)
        values = ({"sites": _slugs(tx, each)} for each in (before, sites))
        record(tx, caller, "permitted sites set", acting, f"{owner.slug}/{row.slug}", concerns=owner.id,
               before=next(values), after=next(values))  # fmt: skip
    return PermittedSites(sites=None if sites is None else sorted(set(sites)))


def _slugs(tx: Session, sites: Collection[UUID] | None) -> list[str] | str:
    return "all" if sites is None else sorted(row.slug for row in sites_by_id(tx, set(sites)).values())
