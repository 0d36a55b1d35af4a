"""Organisations and their projects."""

import re
from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import minor_units
from gradumen.core.names import name_of, slug_of
from gradumen.core.organisations.states import State
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.organisations.cost_centres import note_cost_centre
from gradumen.store.organisations.details import lock_details, notes_of, set_notes, set_tags, tagged, tags_of
from gradumen.store.organisations.organisations import (
    Listed,
    lock_organisation,
    organisations_by_id,
    page_of_organisations,
    slugs_of,
)
from gradumen.store.organisations.tables import BillingZoneRow, OrganisationRow, ParentEdgeRow, zone_names
from gradumen.store.revisions import TREE, revise
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.limits import check_room_for_organisation
from gradumen.usecases.organisations.states import propose
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, today_of
from gradumen.wire.organisations.organisations import OrganisationBody

TYPES = ("provider", "reseller", "tenant")
MOST_TAGS, LONGEST_NOTES = 20, 10_000


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
    starts_on: date | None = None,
) -> OrganisationBody:
    """Bring a reseller or tenant on board under a seller; until ``starts_on`` it is proposed.

    Raises:
        Invalid: a tenant as parent, or a type that cannot be under it, or a day to start that is over.
        NotActive: the seller is suspended, closing or closed.
        QuotaExceeded: it may have no more of them.
        Conflict: the slug is taken.
    """
    scope = load_scope(tx, caller)
    seller = _selling(tx, scope, parent, type)
    check_room_for_organisation(tx, scope, seller)
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
    if starts_on is not None:
        propose(tx, scope, seller.id, row.id, starts_on)
    after = {"type": type, "name": row.name, "country": country, "currency": currency, "billing_zone": billing_zone}
    acting = acting_for(scope, seller.id, Right.MANAGE_ORGANISATIONS)
    record(tx, caller, "organisation made", acting, row.slug, concerns=row.id, after=after)
    return _view(tx, load_scope(tx, caller), row, {seller.id: seller.slug})


def _selling(tx: Session, scope: Scope, parent: str, type: str) -> OrganisationRow:
    """The seller under which an organisation of a type can come."""
    seller = get_organisation(tx, scope, parent)
    scope.require(Right.MANAGE_ORGANISATIONS, seller)
    if type not in ("reseller", "tenant"):
        raise Invalid(f"type must be reseller or tenant; got '{type[:30]}'", field="type", value=type)
    if seller.type == "tenant":
        raise Invalid(f"'{parent}' is a tenant and sells to nobody; choose a reseller", field="parent", value=parent)
    scope.require_active(tx, seller, or_proposed=True)
    return seller


def _segment(raw: str | None) -> str | None:
    return name_of(raw, field="segment", most=60) if raw else None


def _tags(raw: Sequence[str]) -> list[str]:
    found = sorted({name_of(each, field="tags", most=40) for each in raw})
    if len(found) > MOST_TAGS:
        raise Invalid(f"an organisation has at most {MOST_TAGS} tags; got {len(found)}", field="tags")
    return found


SELLERS_OWN = ("segment", "tags", "notes", "payer")
"""What is the seller's to say of an organisation."""


@use_case
def change_organisation(
    tx: Session, caller: Caller, *, organisation: str, given: Mapping[str, Any]
) -> OrganisationBody:
    """Change its name, its cost centre, or what its seller says of it: segment, tags, notes, payer.

    A segment is looked at from the next subscription or change on.

    Raises:
        Forbidden: it is its seller's to say, or the caller may not change organisations.
        Invalid: a value cannot be read, or that payer is not its seller's to name.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    seller = scope.tree.parents.get(row.id)
    own = {name: value for name, value in given.items() if name not in SELLERS_OWN}
    if own:
        scope.require(Right.MANAGE_ORGANISATIONS, row)
    sold = {name: value for name, value in given.items() if name in SELLERS_OWN}
    if sold and (seller is None or not scope.is_member(seller, Right.MANAGE_ORGANISATIONS)):
        raise scope.refused_by_seller(tx, Right.MANAGE_ORGANISATIONS, row)
    lock_organisation(tx, row.id)
    told = _change_own(tx, scope, row, own)
    kept: Changes = ({}, {})
    if seller is not None and sold:
        told, kept = _merged(told, _change_payer(tx, scope, row, seller, sold)), _change_sold(tx, row, seller, sold)
    acting = seller if sold and seller else acting_for(scope, row.id, Right.MANAGE_ORGANISATIONS)
    # What its seller says of it is an entry of its own, which is not told to the organisation.
    _record(tx, caller, row, acting, told, concerns=row.id)
    _record(tx, caller, row, acting, kept, concerns=None)
    tx.flush()
    return _view(tx, scope, row, slugs_of(tx, {seller} & scope.seen if seller else set()))


Changes = tuple[dict[str, Any], dict[str, Any]]
"""What was, and what is now."""


def _merged(one: Changes, other: Changes) -> Changes:
    return one[0] | other[0], one[1] | other[1]


def _record(
    tx: Session, caller: Caller, row: OrganisationRow, acting: UUID, changes: Changes, *, concerns: UUID | None
) -> None:
    before, after = changes
    changed = [name for name in after if before[name] != after[name]]
    if changed:
        values = [{name: each[name] for name in changed} for each in (before, after)]
        action, slug = "organisation changed", row.slug
        record(tx, caller, action, acting, slug, concerns=concerns, before=values[0], after=values[1])


def _change_own(tx: Session, scope: Scope, row: OrganisationRow, given: Mapping[str, Any]) -> Changes:
    before = {name: getattr(row, name) for name in given}
    if "name" in given:
        row.name = name_of(given["name"], field="name")
    if "cost_centre" in given:
        centre = given["cost_centre"]
        row.cost_centre = name_of(centre, field="cost_centre", most=60) if centre else None
        if row.cost_centre != before["cost_centre"]:
            change = {"before": before["cost_centre"], "after": row.cost_centre}
            note_cost_centre(tx, row.id, None, **change, day=today_of(tx, scope, row))
    return before, {name: getattr(row, name) for name in given}


def _change_sold(tx: Session, row: OrganisationRow, seller: UUID, given: Mapping[str, Any]) -> Changes:
    before: dict[str, Any] = {}
    after: dict[str, Any] = {}
    if "segment" in given:
        before["segment"], after["segment"] = row.segment, _segment(given["segment"])
        row.segment = after["segment"]
    if "tags" in given:
        before["tags"] = tags_of(tx, [seller], [row.id]).get(row.id, [])
        after["tags"] = _tags(given["tags"] or [])
        set_tags(tx, seller, row.id, after["tags"])
    if "notes" in given:
        before["notes"], after["notes"] = notes_of(tx, seller, row.id), (given["notes"] or "").strip()
        if len(after["notes"]) > LONGEST_NOTES:
            raise Invalid(f"notes have at most {LONGEST_NOTES:,} characters", field="notes")
        set_notes(tx, seller, row.id, after["notes"])
    return before, after


def _change_payer(tx: Session, scope: Scope, row: OrganisationRow, seller: UUID, given: Mapping[str, Any]) -> Changes:
    if "payer" not in given:
        return {}, {}
    details = lock_details(tx, row.id)
    was, details.payer_id = details.payer_id, _payer(tx, scope, row, seller, given["payer"])
    named = organisations_by_id(tx, {each for each in (was, details.payer_id) if each})
    before, after = ({"payer": named[each].slug if each else None} for each in (was, details.payer_id))
    return before, after


def _payer(tx: Session, scope: Scope, row: OrganisationRow, seller: UUID, slug: str | None) -> UUID | None:
    if not slug or slug == row.slug:
        return None
    found = get_organisation(tx, scope, slug)
    if found.id != seller and scope.tree.parents.get(found.id) != seller:
        raise Invalid(
            f"{found.name} buys from another seller than {row.name}; its payer is itself, its seller, or another that "
            "the same seller sells to",
            field="payer",
            value=slug,
        )
    return found.id


@use_case
def list_organisations(
    tx: Session,
    caller: Caller,
    *,
    after: str | None,
    limit: int,
    search: str,
    parent: str | None,
    type: str | None = None,
    state: State | None = None,
    tag: str | None = None,
) -> list[OrganisationBody]:
    """The organisations in scope, by slug, after a slug; ``search`` is found in slug or name.

    Args:
        parent: only those that this one sells to; None is all.
        state: what holds for them.
        tag: one that an organisation of the caller's gave them.

    Raises:
        NotFound: the parent is not in scope.
    """
    scope = load_scope(tx, caller)
    wanted: Collection[UUID] = scope.seen
    seller = None if parent is None else get_organisation(tx, scope, parent).id
    if seller is not None:
        wanted = scope.tree.sold_to(seller)
    of_all = len(scope.tree.parents) + 1 if seller is None else len(wanted)
    if state is not None:
        wanted = {each for each in wanted if scope.tree.state(each) is state}
    if tag is not None:
        wanted = tagged(tx, scope.members_of(), tag).intersection(wanted)
    rows = page_of_organisations(
        tx,
        wanted,
        after=after,
        limit=limit,
        search=search,
        type=type,
        of_all=of_all,
        parent=seller,
        taggers=scope.members_of(),
    )
    parents = {scope.tree.parents[row.id] for row in rows if row.id in scope.tree.parents} & scope.seen
    known = slugs_of(tx, parents)
    zones = zone_names(tx, {row.id for row in rows}, scope.now.date())
    tags = {row.id: list(row.tags) for row in rows}
    return [_view(tx, scope, row, known, zones, tags) for row in rows]


@use_case
def read_organisation(tx: Session, caller: Caller, *, slug: str) -> OrganisationBody:
    """One organisation in scope."""
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, slug)
    parent = scope.tree.parents.get(row.id)
    return _view(tx, scope, row, slugs_of(tx, {parent} if parent in scope.seen and parent else set()))


def _view(
    tx: Session,
    scope: Scope,
    row: OrganisationRow | Listed,
    known: dict[UUID, str],
    zones: dict[UUID, str] | None = None,
    tags: dict[UUID, list[str]] | None = None,
) -> OrganisationBody:
    parent = scope.tree.parents.get(row.id)
    shown = known[parent] if parent in known and parent in scope.seen else None
    if zones is None:
        zones = zone_names(tx, {row.id}, scope.now.date())
    mine = parent is not None and scope.is_member(parent)
    if tags is None:
        tags = tags_of(tx, [parent] if mine and parent else [], [row.id])
    return OrganisationBody(
        id=row.id,
        type=row.type,
        slug=row.slug,
        name=row.name,
        country=row.country,
        currency=row.currency,
        billing_zone=zones[row.id],
        state=scope.tree.state(row.id),
        cost_centre=row.cost_centre,
        segment=row.segment if mine else None,
        tags=tags.get(row.id, []) if mine else [],
        parent=shown,
        children=len(scope.tree.children(row.id)),
        role=scope.role(row.id),
    )
