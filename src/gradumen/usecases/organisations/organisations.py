"""Organisations and their projects."""

import re
from collections.abc import Collection
from dataclasses import dataclass
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import minor_units
from gradumen.core.names import name_of, slug_of
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.organisations.organisations import organisations_by_id, page_of_organisations, projects_of
from gradumen.store.organisations.tables import BillingZoneRow, OrganisationRow, ParentEdgeRow, ProjectRow, zone_names
from gradumen.store.revisions import TREE, revise
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.organisations.organisations import OrganisationBody

TYPES = ("provider", "reseller", "tenant")


@dataclass(frozen=True, slots=True)
class Project:
    """A unit of an organisation that uses and is charged."""

    id: UUID
    organisation: str
    slug: str
    name: str
    cost_centre: str | None


def country_of(raw: str) -> str:
    """Read a country code (ISO 3166-1 alpha-2, by form).

    Raises:
        Invalid: not two capital letters.
    """
    if not re.fullmatch("[A-Z]{2}", raw):
        raise Invalid(f"country '{raw[:20]}' is not a code of two capital letters, like IE", field="country", value=raw)
    return raw


def new_row(
    tx: Session,
    *,
    type: str,
    slug: str,
    name: str,
    country: str,
    currency: str,
    zone: str,
    cost_centre: str | None,
    segment: str | None,
    caller_at: object,
) -> OrganisationRow:
    minor_units(currency)
    zone_of(zone)
    row = OrganisationRow(
        id=uuid4(),
        type=type,
        slug=slug_of(slug, field="slug"),
        name=name_of(name, field="name"),
        country=country_of(country),
        currency=currency,
        segment=_segment(segment),
        cost_centre=None if cost_centre is None else name_of(cost_centre, field="cost_centre", most=60),
        created_at=caller_at,
    )
    if not add_new(tx, row):
        raise Conflict(f"the slug '{slug}' is taken; choose another", field="slug")
    tx.add(BillingZoneRow(organisation_id=row.id, starts_on=Period(2000, 1).first_day, zone=zone))
    return row


@use_case
def create_organisation(
    tx: Session,
    caller: Caller,
    *,
    parent: str,
    type: str,
    slug: str,
    name: str,
    country: str,
    currency: str,
    billing_zone: str,
    cost_centre: str | None,
    segment: str | None,
) -> OrganisationBody:
    """Bring a reseller or tenant on board under a seller.

    Raises:
        Invalid: a tenant as parent, or a type that cannot be under it.
        Conflict: the slug is taken.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, parent)
    scope.require(Right.MANAGE_ORGANISATIONS, seller)
    if type not in ("reseller", "tenant"):
        raise Invalid(f"type must be reseller or tenant; got '{type[:30]}'", field="type", value=type)
    if seller.type == "tenant":
        raise Invalid(f"'{parent}' is a tenant and sells to nobody; choose a reseller", field="parent", value=parent)
    row = new_row(
        tx,
        type=type,
        slug=slug,
        name=name,
        country=country,
        currency=currency,
        zone=billing_zone,
        cost_centre=cost_centre,
        segment=segment,
        caller_at=caller.at,
    )
    tx.flush()
    revise(tx, TREE)
    tx.add(
        ParentEdgeRow(
            child_id=row.id, starts_at=Period(2000, 1).bounds(zone_of("UTC"))[0], parent_id=seller.id, ends_at=None
        )
    )
    tx.flush()
    after = {"type": type, "name": row.name, "country": country, "currency": currency, "billing_zone": billing_zone}
    acting = acting_for(scope, seller.id, Right.MANAGE_ORGANISATIONS)
    record(tx, caller, "organisation made", acting, row.slug, concerns=row.id, after=after)
    return _view(tx, load_scope(tx, caller), row, {seller.id: seller})


def _segment(raw: str | None) -> str | None:
    return name_of(raw, field="segment", most=60) if raw else None


@use_case
def set_segment(tx: Session, caller: Caller, *, organisation: str, segment: str | None) -> OrganisationBody:
    """Say what kind of customer a buyer is; rate cards may ask for it, from the next subscription or change on.

    Raises:
        Forbidden: this is the seller's to say.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    seller = scope.tree.parents.get(row.id)
    if seller is None or not scope.may(Right.MANAGE_ORGANISATIONS, seller):
        raise scope.refused_by_seller(tx, Right.MANAGE_ORGANISATIONS, row)
    before, row.segment = row.segment, _segment(segment)
    if row.segment != before:
        changes = {"segment": before}, {"segment": row.segment}
        acting = acting_for(scope, seller, Right.MANAGE_ORGANISATIONS)
        record(tx, caller, "segment set", acting, row.slug, before=changes[0], after=changes[1])
    tx.flush()
    return _view(tx, scope, row, organisations_by_id(tx, {seller} & scope.seen))


@use_case
def list_organisations(
    tx: Session, caller: Caller, *, after: str | None, limit: int, search: str, parent: str | None
) -> list[OrganisationBody]:
    """The organisations in scope, by slug, after a slug; ``search`` is found in slug or name.

    Args:
        parent: only those that this one sells to; None is all.

    Raises:
        NotFound: the parent is not in scope.
    """
    scope = load_scope(tx, caller)
    wanted: Collection[UUID] = scope.seen
    if parent is not None:
        wanted = set(scope.tree.children(get_organisation(tx, scope, parent).id))
    rows = page_of_organisations(
        tx, wanted, after=after, limit=limit, search=search, of_all=len(scope.tree.parents) + 1
    )
    parents = {scope.tree.parents[row.id] for row in rows if row.id in scope.tree.parents} & scope.seen
    known = organisations_by_id(tx, set(parents))
    zones = zone_names(tx, {row.id for row in rows}, scope.now.date())
    return [_view(tx, scope, row, known, zones) for row in rows]


@use_case
def read_organisation(tx: Session, caller: Caller, *, slug: str) -> OrganisationBody:
    """One organisation in scope."""
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, slug)
    parent = scope.tree.parents.get(row.id)
    return _view(tx, scope, row, organisations_by_id(tx, {parent} if parent in scope.seen and parent else set()))


def _view(
    tx: Session,
    scope: Scope,
    row: OrganisationRow,
    known: dict[UUID, OrganisationRow],
    zones: dict[UUID, str] | None = None,
) -> OrganisationBody:
    parent = scope.tree.parents.get(row.id)
    shown = known[parent].slug if parent in known and parent in scope.seen else None
    if zones is None:
        zones = zone_names(tx, {row.id}, scope.now.date())
    return OrganisationBody(
        id=row.id,
        type=row.type,
        slug=row.slug,
        name=row.name,
        country=row.country,
        currency=row.currency,
        billing_zone=zones[row.id],
        cost_centre=row.cost_centre,
        segment=row.segment if parent is not None and scope.is_member(parent) else None,
        parent=shown,
        children=len(scope.tree.children(row.id)),
        role=scope.role(row.id),
    )


@use_case
def create_project(
    tx: Session, caller: Caller, *, organisation: str, slug: str, name: str, cost_centre: str | None
) -> Project:
    """Add a project to an organisation.

    Raises:
        Conflict: the slug is taken in it.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_ORGANISATIONS, owner)
    row = ProjectRow(
        id=uuid4(),
        organisation_id=owner.id,
        slug=slug_of(slug, field="slug"),
        name=name_of(name, field="name"),
        cost_centre=None if cost_centre is None else name_of(cost_centre, field="cost_centre", most=60),
    )
    if not add_new(tx, row):
        raise Conflict(f"'{owner.slug}' has a project '{slug}' already; choose another slug", field="slug")
    acting = acting_for(scope, owner.id, Right.MANAGE_ORGANISATIONS)
    record(tx, caller, "project made", acting, f"{owner.slug}/{row.slug}", concerns=owner.id, after={"name": row.name})
    return Project(row.id, owner.slug, row.slug, row.name, row.cost_centre)


@use_case
def list_projects(tx: Session, caller: Caller, *, organisation: str) -> list[Project]:
    """The projects of an organisation, by slug."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    return [Project(row.id, owner.slug, row.slug, row.name, row.cost_centre) for row in projects_of(tx, [owner.id])]
