"""Sites: where a seller has capacity for itself and those below it, and which of them each may use."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.names import name_of, slug_of
from gradumen.core.periods import zone_of
from gradumen.core.permissions import Right
from gradumen.store.organisations import sites as store
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.sites import SiteRow
from gradumen.store.organisations.tables import OrganisationRow, Tree
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, load_scope
from gradumen.wire.organisations.sites import PermittedSites, SiteBody, SiteCreate

MANAGES = Right.MANAGE_ORGANISATIONS


def usable_sites(tx: Session, tree: Tree, organisation: UUID) -> list[SiteRow]:
    """The sites that an organisation may use: its own, and those above it that each seller on the way lets through."""
    chain = tree.chain(organisation)
    held = store.permitted(tx, chain)
    found = []
    for row in store.sites_of(tx, chain):
        below = chain[: chain.index(row.organisation_id)]
        if all(row.id in held.get(each, {row.id}) for each in below):
            found.append(row)
    return found


@use_case
def list_sites(tx: Session, caller: Caller, *, organisation: str) -> list[SiteBody]:
    """The sites that an organisation in scope may use, of those that the caller knows itself."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    return [_view(row, owner) for row in usable_sites(tx, scope.tree, owner.id) if knows_site(scope, row)]


def knows_site(scope: Scope, site: SiteRow) -> bool:
    """Whether a caller knows a site: of one of its organisations, or of one above them. What is below is others'."""
    return any(site.organisation_id in scope.tree.chain(member) for member in scope.members_of())


def _view(row: SiteRow, owner: OrganisationRow) -> SiteBody:
    return SiteBody(
        id=row.id,
        slug=row.slug,
        name=row.name,
        place=row.place,
        zone=row.zone,
        own=row.organisation_id == owner.id,
        version=row.version,
    )


@use_case
def register_site(tx: Session, caller: Caller, *, organisation: str, given: SiteCreate) -> SiteBody:
    """Register a site of an organisation that sells.

    Raises:
        Forbidden: the caller is no member of it that manages organisations.
        Conflict: it is a tenant, or the slug is taken.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(MANAGES, owner)
    if owner.type == "tenant":
        raise Conflict(f"'{owner.slug}' is a tenant and has no capacity for others")
    lock_organisation(tx, owner.id)
    row = SiteRow(
        id=uuid4(),
        organisation_id=owner.id,
        slug=slug_of(given.slug, field="slug"),
        name=name_of(given.name, field="name"),
        place=name_of(given.place, field="place") if given.place else None,
        zone=zone_of(given.zone).key,
        version=1,
        retired_at=None,
    )
    if not add_new(tx, row):
        raise Conflict(f"the slug '{given.slug}' is taken; choose another", field="slug")
    record(tx, caller, "site registered", owner.id, row.slug, after=_told(row))
    return _view(row, owner)


@use_case
def change_site(tx: Session, caller: Caller, *, site: UUID, version: int, given: Mapping[str, Any]) -> SiteBody:
    """Change what was given of a site.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row, owner = own_site(tx, scope, site)
    check_unchanged("site", row.version, version)
    before = _told(row)
    if given.get("name") is not None:
        row.name = name_of(given["name"], field="name")
    if "place" in given:
        row.place = name_of(given["place"], field="place") if given["place"] else None
    if given.get("zone") is not None:
        row.zone = zone_of(given["zone"]).key
    row.version += 1
    tx.flush()
    record(tx, caller, "site changed", row.organisation_id, row.slug, before=before, after=_told(row))
    return _view(row, owner)


def own_site(tx: Session, scope: Scope, site: UUID, *, retired: bool = False) -> tuple[SiteRow, OrganisationRow]:
    """A site of an organisation whose people the caller is of, for a change.

    Raises:
        NotFound: there is none, or the caller is no member of its owner.
        Forbidden: the caller does not manage organisations there.
    """
    row = store.find_site(tx, site, lock=True)
    if row is None or not scope.is_member(row.organisation_id) or (row.retired_at and not retired):
        raise NotFound("site", site)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    scope.require_member(MANAGES, owner)
    return row, owner


@use_case
def retire_site(tx: Session, caller: Caller, *, site: UUID) -> None:
    """Give no limits at a site any more; those that are given stay. Asking again changes nothing."""
    scope = load_scope(tx, caller)
    row, owner = own_site(tx, scope, site, retired=True)
    if row.retired_at is None:
        row.retired_at = scope.now
        record(tx, caller, "site retired", owner.id, row.slug)


def _told(row: SiteRow) -> dict[str, Any]:
    return {"name": row.name, "place": row.place, "zone": row.zone}


@use_case
def read_permitted_sites(tx: Session, caller: Caller, *, organisation: str) -> PermittedSites:
    """The sites that an organisation in scope is held to, of those that the caller knows; null is all."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    held = store.permitted(tx, [owner.id]).get(owner.id)
    if held is None:
        return PermittedSites(sites=None)
    rows = store.sites_by_id(tx, held).values()
    return PermittedSites(sites=sorted(row.id for row in rows if knows_site(scope, row)))


def hold_to_sites(
    tx: Session, scope: Scope, owner: OrganisationRow, sites: Sequence[UUID] | None
) -> tuple[list[UUID], list[SiteRow]]:
    """Hold an organisation to some of its seller's sites, or to none in particular; for its seller.

    From further up nothing changes about sites that are not known there.

    Gives the organisations concerned, with all below, and the sites that it may not use any more.

    Raises:
        Forbidden: this is its seller's to say.
        Invalid: it is none, or one that its seller may not use itself.
    """
    seller = scope.tree.parents.get(owner.id)
    if seller is None or not scope.may(MANAGES, seller):
        raise scope.refused_by_seller(tx, MANAGES, owner)
    if sites is not None and not sites:
        raise Invalid("permit one site at least, or all by null", field="sites")
    lock_organisation(tx, owner.id)
    before = {row.id: row for row in usable_sites(tx, scope.tree, owner.id)}
    may = {row.id: row for row in usable_sites(tx, scope.tree, seller)}
    for site in sites or ():
        if site not in may:
            raise Invalid(f"site {site} is none that its seller may use itself", field="sites", value=site)
    was = store.permitted(tx, [owner.id]).get(owner.id)
    unknown = {row.id for row in before.values() if not knows_site(scope, row)}
    store.set_permitted(tx, owner.id, {*sites, *unknown} if sites else set())
    tx.flush()
    after = {row.id for row in usable_sites(tx, scope.tree, owner.id)}
    acting = acting_for(scope, seller, MANAGES)
    values = ({"sites": _slugs(tx, each)} for each in (was, sites))
    record(tx, scope.caller, "permitted sites set", acting, owner.slug, concerns=owner.id,
           before=next(values), after=next(values))  # fmt: skip
    return sorted(scope.tree.below([owner.id])), [row for id, row in before.items() if id not in after]


def _slugs(tx: Session, sites: Sequence[UUID] | set[UUID] | None) -> list[str] | str:
    return "all" if sites is None else sorted(row.slug for row in store.sites_by_id(tx, set(sites)).values())
