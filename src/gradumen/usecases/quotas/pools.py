"""Pools of capacity at a seller's own sites, and what of them is promised; for its own people alone."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.exact import add, text
from gradumen.core.names import name_of, slug_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Measure, amount_words
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.sites import SiteRow, sites_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas import pools as store
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.pools import PoolRow
from gradumen.store.quotas.site_quotas import holders_at, is_given
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.limits import lock_quota
from gradumen.usecases.organisations.sites import own_site
from gradumen.usecases.quotas.spots import Held, SetAside, Spot, capacity_of
from gradumen.usecases.scope import (
    Caller,
    Scope,
    check_unchanged,
    get_organisation,
    load_scope,
    may_have,
    set_aside_for,
)
from gradumen.wire.quotas.pools import PoolBody, PoolCreate


@use_case
def list_pools(tx: Session, caller: Caller, *, organisation: str) -> list[PoolBody]:
    """The pools of an organisation, by site; what is behind them is its own.

    Raises:
        Forbidden: the caller is no member of it.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    return pool_bodies(tx, scope, owner, store.pools_of(tx, owner.id))


def short_pools(tx: Session, scope: Scope, owner: OrganisationRow) -> list[PoolBody]:
    """A pool of each site and measure at which more is promised than there is."""
    pools = pool_bodies(tx, scope, owner, store.pools_of(tx, owner.id))
    return list({(row.site, row.measure): row for row in pools if row.left < 0}.values())


@use_case
def make_pool(tx: Session, caller: Caller, *, organisation: str, given: PoolCreate) -> PoolBody:
    """Say what there is of a measure at a site; from then on no more than that is promised there.

    Raises:
        NotFound: the site is none of the organisation's.
        Invalid: a measure that is not at a place, or figures that cannot be.
        Conflict: the slug is taken, or more is promised there already.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    site, owns = own_site(tx, scope, given.site)
    if owns.id != owner.id:
        raise NotFound("site", given.site)
    measure = placed(tx, given.measure)
    row = PoolRow(
        id=uuid4(),
        organisation_id=owner.id,
        site_id=site.id,
        slug=slug_of(given.slug, field="slug"),
        name=name_of(given.name, field="name"),
        measure=measure,
        capacity=_figure(given.capacity, "capacity", Decimal(0), Decimal(10) ** 15),
        factor=_figure(given.factor or Decimal(1), "factor", Decimal(1), Decimal(100)),
        behind=_behind(given.behind),
        set_aside_id=set_aside_for(tx, scope, owner.id, given.set_aside_for),
        version=1,
        retired_at=None,
    )
    lock_quota(tx, scope.tree, owner, owner.id, None, measure)
    if not add_new(tx, row):
        raise Conflict(f"the slug '{given.slug}' is taken; choose another", field="slug")
    held = Held(tx, scope.tree, [owner.id]).holding(owner, Spot(site), measure)
    if held.left is not None and held.left < 0:
        raise Conflict(
            f"{text(held.granted)} are promised at {site.name} already; say of all that is there, or take some back",
            field="capacity",
        )
    _check_set_aside(tx, scope, row)
    record(tx, caller, "pool made", owner.id, row.slug, after=_told(row))
    return pool_bodies(tx, scope, owner, [row])[0]


def placed(tx: Session, raw: str) -> Measure:
    """Read a measure of something that is at a place.

    Raises:
        Invalid: none, or one that the service counts itself.
    """
    measures = load_measures(tx)
    measure = measures.read(raw)
    if not measure.metered:
        known = ", ".join(measures.metered)
        raise Invalid(f"{measure} are at no site; choose one of {known}", field="measure", value=raw)
    return measure


@use_case
def change_pool(tx: Session, caller: Caller, *, pool: UUID, version: int, given: Mapping[str, Any]) -> PoolBody:
    """Change what was given of a pool. It may have less than is promised: then nothing more is, until it fits again.

    Raises:
        EditedMeanwhile: it is at another version.
        Conflict: others than it is to be set aside for have limits of it.
    """
    scope = load_scope(tx, caller)
    row, owner = _own(tx, scope, pool)
    lock_quota(tx, scope.tree, owner, owner.id, None, load_measures(tx)[row.measure])
    check_unchanged("pool", row.version, version)
    before = _told(row)
    if given.get("name") is not None:
        row.name = name_of(given["name"], field="name")
    if given.get("capacity") is not None:
        row.capacity = _figure(given["capacity"], "capacity", Decimal(0), Decimal(10) ** 15)
    if given.get("factor") is not None:
        row.factor = _figure(given["factor"], "factor", Decimal(1), Decimal(100))
    if "behind" in given:
        row.behind = _behind(given["behind"])
    if "set_aside_for" in given:
        row.set_aside_id = set_aside_for(tx, scope, owner.id, given["set_aside_for"])
        _check_set_aside(tx, scope, row)
    row.version += 1
    tx.flush()
    record(tx, caller, "pool changed", owner.id, row.slug, before=before, after=_told(row))
    return pool_bodies(tx, scope, owner, [row])[0]


def _check_set_aside(tx: Session, scope: Scope, row: PoolRow) -> None:
    """Check that nobody else has a limit of a pool.

    Raises:
        Conflict: somebody has.
    """
    others = [each for each in holders_at(tx, row.id) if not may_have(scope.tree, row.set_aside_id, each)]
    if others:
        raise Conflict(f"{len(others)} others have limits of {row.name}; take them back first", field="set_aside_for")
    tx.flush()
    site = sites_by_id(tx, {row.site_id})[row.site_id]
    measure = load_measures(tx)[row.measure]
    lacking = SetAside(tx, scope.tree, site, measure).lacking() if row.set_aside_id else Decimal(0)
    if lacking > 0:
        raise Conflict(
            f"{amount_words(measure, lacking)} more are promised to others at {site.name} than that "
            "leaves; take some back first",
            field="set_aside_for",
        )


@use_case
def retire_pool(tx: Session, caller: Caller, *, pool: UUID) -> None:
    """A pool is not there any more. Asking again changes nothing.

    Raises:
        Conflict: somebody has a limit of it.
    """
    scope = load_scope(tx, caller)
    row, owner = _own(tx, scope, pool, retired=True)
    if row.retired_at is not None:
        return
    lock_quota(tx, scope.tree, owner, owner.id, None, load_measures(tx)[row.measure])
    if is_given(tx, row.id):
        raise Conflict(f"limits of {row.name} are given; take them back first")
    row.retired_at = scope.now
    record(tx, caller, "pool retired", owner.id, row.slug)


def _own(tx: Session, scope: Scope, pool: UUID, *, retired: bool = False) -> tuple[PoolRow, OrganisationRow]:
    """A pool of an organisation whose people the caller is of.

    Raises:
        NotFound: there is none, or the caller is no member of its owner.
        Forbidden: the caller does not manage quotas there.
    """
    row = store.find_pool(tx, pool, lock=True)
    if row is None or not scope.is_member(row.organisation_id) or (row.retired_at and not retired):
        raise NotFound("pool", pool)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    scope.require_member(Right.MANAGE_QUOTAS, owner)
    return row, owner


def _figure(value: Decimal, field: str, least: Decimal, most: Decimal) -> Decimal:
    if not least <= value <= most:
        raise Invalid(f"{field} lies between {least} and {most:,}; got {value}", field=field, value=value)
    return value


def _behind(raw: str | None) -> str | None:
    return name_of(" ".join(raw.split()), field="behind", most=300) if raw else None


def _told(row: PoolRow) -> dict[str, Any]:
    return {"name": row.name, "measure": row.measure, "capacity": text(row.capacity), "factor": text(row.factor),
            "set aside": row.set_aside_id}  # fmt: skip


def pool_bodies(tx: Session, scope: Scope, owner: OrganisationRow, rows: Sequence[PoolRow]) -> list[PoolBody]:
    """Pools of an organisation with what of them is promised; of the scope only the tree is looked at."""
    held = Held(tx, scope.tree, [owner.id])
    sites: dict[UUID, SiteRow] = sites_by_id(tx, {row.site_id for row in rows})
    aside = organisations_by_id(tx, {row.set_aside_id for row in rows if row.set_aside_id})
    found = []
    for row in rows:
        measure, site = load_measures(tx)[row.measure], sites[row.site_id]
        here = held.holding(owner, Spot(site), measure)
        found.append(
            PoolBody(
                id=row.id,
                organisation=owner.slug,
                site=site.id,
                site_slug=site.slug,
                site_name=site.name,
                slug=row.slug,
                name=row.name,
                measure=measure,
                unit=measure.unit,
                capacity=row.capacity,
                factor=row.factor,
                behind=row.behind,
                set_aside_for=aside[row.set_aside_id].slug if row.set_aside_id else None,
                promised=held.holding(owner, Spot(site, row), measure).granted,
                at_site=here.granted,
                left=add([here.limit or capacity_of(row), -here.granted]),
                version=row.version,
            )
        )
    return found
