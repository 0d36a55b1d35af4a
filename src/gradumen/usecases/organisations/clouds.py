"""Clouds in which accounts are made: registered by a seller, used by it and, where shared, by those it sells to."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.names import name_of, slug_of
from gradumen.core.organisations.clouds import CloudKind
from gradumen.core.permissions import Right
from gradumen.store.organisations import clouds as store
from gradumen.store.organisations.clouds import CloudRow
from gradumen.store.organisations.organisations import lock_organisation, organisations_by_id
from gradumen.store.organisations.projects import projects_by_id
from gradumen.store.organisations.sites import sites_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.organisations.sites import usable_sites
from gradumen.usecases.scope import (
    Caller,
    Scope,
    check_unchanged,
    get_organisation,
    load_scope,
    may_have,
    set_aside_for,
)
from gradumen.wire.organisations.clouds import CloudAccountBody, CloudBody, CloudCreate

MANAGES = Right.MANAGE_ORGANISATIONS


@dataclass(frozen=True, slots=True)
class Reaching:
    """What a cloud is reached by; never told to anybody."""

    kind: CloudKind
    endpoint: str
    secret: str


@use_case
def list_clouds(tx: Session, caller: Caller, *, organisation: str) -> list[CloudBody]:
    """The clouds that an organisation may have accounts made in: its own, and those that its seller shares with it.

    Raises:
        Forbidden: the caller is no member of it.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    return _views(tx, scope, clouds_for(tx, scope, owner))


def clouds_for(tx: Session, scope: Scope, owner: OrganisationRow) -> list[CloudRow]:
    """The rows of those, by slug; a tenant has nobody for whom it would make any.

    What is further up is not named: a seller's customers know that seller, and not who is behind it.
    """
    if owner.type == "tenant":
        return []
    rows = store.clouds_of(tx, scope.tree.chain(owner.id)[:2])
    usable = [row for row in rows if row.organisation_id == owner.id or row.shared]
    return [row for row in usable if may_have(scope.tree, row.set_aside_id, owner.id)]


def _views(tx: Session, scope: Scope, rows: list[CloudRow]) -> list[CloudBody]:
    owners = organisations_by_id(tx, {id for row in rows for id in (row.organisation_id, row.set_aside_id) if id})
    sites = sites_by_id(tx, {row.site_id for row in rows if row.site_id})
    found = []
    for row in rows:
        own = scope.is_member(row.organisation_id, MANAGES)
        found.append(
            CloudBody(
                id=row.id,
                slug=row.slug,
                name=row.name,
                owner=owners[row.organisation_id].slug,
                owner_name=owners[row.organisation_id].name,
                place=row.place,
                site=row.site_id,
                site_name=sites[row.site_id].name if row.site_id else None,
                kind=CloudKind(row.kind),
                endpoint=row.endpoint if own else None,
                shared=row.shared,
                set_aside_for=owners[row.set_aside_id].slug if own and row.set_aside_id else None,
                version=row.version,
            )
        )
    return found


@use_case
def register_cloud(tx: Session, caller: Caller, *, organisation: str, given: CloudCreate) -> CloudBody:
    """Register a cloud; its address was checked against what the operator lets be called.

    Raises:
        Forbidden: the caller does not manage organisations there.
        Conflict: a tenant makes no accounts for others, or the slug is taken.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(MANAGES, owner)
    if owner.type == "tenant":
        raise Conflict(f"'{owner.slug}' is a tenant and brings nobody on board")
    lock_organisation(tx, owner.id)
    row = CloudRow(
        id=uuid4(),
        organisation_id=owner.id,
        slug=slug_of(given.slug, field="slug"),
        name=name_of(given.name, field="name"),
        place=name_of(given.place, field="place") if given.place else None,
        site_id=_site(tx, scope, owner.id, given.site),
        kind=given.kind,
        endpoint=_endpoint(given.endpoint),
        sealed=seals_of(tx).seal(_secret(given.secret)),
        shared=given.shared,
        set_aside_id=set_aside_for(tx, scope, owner.id, given.set_aside_for),
        version=1,
        retired_at=None,
    )
    if not add_new(tx, row):
        raise Conflict(f"the slug '{given.slug}' is taken; choose another", field="slug")
    record(tx, caller, "cloud registered", owner.id, row.slug, after=_told(row))
    return _views(tx, scope, [row])[0]


@use_case
def change_cloud(tx: Session, caller: Caller, *, cloud: UUID, version: int, given: Mapping[str, Any]) -> CloudBody:
    """Change what was given of a cloud.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = _own(tx, scope, cloud)
    check_unchanged("cloud", row.version, version)
    before = _told(row)
    if given.get("name") is not None:
        row.name = name_of(given["name"], field="name")
    if "place" in given:
        row.place = name_of(given["place"], field="place") if given["place"] else None
    if "site" in given:
        row.site_id = _site(tx, scope, row.organisation_id, given["site"])
    if given.get("endpoint") is not None and (endpoint := _endpoint(given["endpoint"])) != row.endpoint:
        if given.get("secret") is None:
            raise Conflict("its token was entered for another address; enter it anew", field="secret")
        row.endpoint = endpoint
    if given.get("secret") is not None:
        row.sealed = seals_of(tx).seal(_secret(given["secret"]))
    if given.get("shared") is not None:
        row.shared = given["shared"]
    if "set_aside_for" in given:
        row.set_aside_id = set_aside_for(tx, scope, row.organisation_id, given["set_aside_for"])
    row.version += 1
    tx.flush()
    record(tx, caller, "cloud changed", row.organisation_id, row.slug, before=before, after=_told(row))
    return _views(tx, scope, [row])[0]


@use_case
def retire_cloud(tx: Session, caller: Caller, *, cloud: UUID) -> None:
    """Make no new accounts in a cloud any more; those in it stay. Asking again changes nothing."""
    scope = load_scope(tx, caller)
    row = _own(tx, scope, cloud, retired=True)
    if row.retired_at is None:
        row.retired_at = scope.now
        record(tx, caller, "cloud retired", row.organisation_id, row.slug)


@use_case
def require_own_cloud(tx: Session, caller: Caller, *, cloud: UUID) -> None:
    """Check that the caller may change a cloud.

    Raises:
        NotFound, Forbidden: as for a change.
    """
    _own(tx, load_scope(tx, caller), cloud)


@use_case
def reach_cloud(tx: Session, caller: Caller, *, cloud: UUID) -> Reaching:
    """What a cloud is reached by, to try it; for its owner's people."""
    return reaching(tx, _own(tx, load_scope(tx, caller), cloud))


def reaching(tx: Session, row: CloudRow) -> Reaching:
    """The same of a row.

    Raises:
        Conflict: its token went with the key that it was sealed with.
    """
    if not row.sealed:
        raise Conflict(f"the token of {row.name} is lost with its key; enter it anew", field="secret")
    return Reaching(CloudKind(row.kind), row.endpoint, seals_of(tx).open(row.sealed))


def with_accounts(tx: Session, scope: Scope, organisation: str) -> OrganisationRow:
    """An organisation whose accounts in clouds the caller may see: its own members and those of its direct seller.

    Raises:
        Forbidden: the caller is neither.
    """
    owner = get_organisation(tx, scope, organisation)
    seller = scope.tree.parents.get(owner.id)
    if seller is None or not scope.is_member(seller):
        scope.require_member(Right.READ, owner)
    return owner


@use_case
def list_cloud_accounts(tx: Session, caller: Caller, *, organisation: str) -> list[CloudAccountBody]:
    """The accounts that an organisation has in clouds; for its own members and those of its direct seller.

    Raises:
        Forbidden: the caller is neither.
    """
    owner = with_accounts(tx, load_scope(tx, caller), organisation)
    rows = store.accounts_of(tx, owner.id)
    clouds = store.clouds_by_id(tx, {row.cloud_id for row in rows})
    projects = projects_by_id(tx, {row.project_id for row in rows if row.project_id})
    return [
        CloudAccountBody(
            id=row.id,
            cloud=clouds[row.cloud_id].slug,
            cloud_name=clouds[row.cloud_id].name,
            name=row.name,
            external_id=row.external_id,
            state=row.state,
            kept=row.kept or [],
            project=f"{owner.slug}/{projects[row.project_id].slug}" if row.project_id in projects else None,
            billed_from=row.billed_from,
            changed_at=row.changed_at,
        )
        for row in rows
    ]


def _own(tx: Session, scope: Scope, cloud: UUID, *, retired: bool = False) -> CloudRow:
    """A cloud of an organisation whose people the caller is of.

    Raises:
        NotFound: there is none, or the caller is no member of its owner.
        Forbidden: the caller does not manage organisations there.
    """
    row = store.find_cloud(tx, cloud, lock=True)
    if row is None or not scope.is_member(row.organisation_id) or (row.retired_at and not retired):
        raise NotFound("cloud", cloud)
    scope.require_member(MANAGES, tx.get_one(OrganisationRow, row.organisation_id))
    return row


def _site(tx: Session, scope: Scope, owner: UUID, site: UUID | None) -> UUID | None:
    """A site that the owner of a cloud may use.

    Raises:
        Invalid: it is none.
    """
    if site is not None and site not in {row.id for row in usable_sites(tx, scope.tree, owner)}:
        raise Invalid(f"site {site} is none that you may use", field="site", value=site)
    return site


def _endpoint(raw: str) -> str:
    if not raw.isascii() or len(raw) > 300:
        raise Invalid("endpoint has at most 300 characters, without accents", field="endpoint", value=raw[:100])
    return raw


def _secret(raw: str) -> str:
    if not 1 <= len(raw) <= 2000 or not raw.isascii() or not raw.isprintable():
        raise Invalid("secret has 1 to 2000 printable characters, without accents", field="secret")
    return raw


def _told(row: CloudRow) -> dict[str, Any]:
    names = ("name", "place", "endpoint", "shared")
    return {name: getattr(row, name) for name in names} | {"site": row.site_id, "set aside": row.set_aside_id}
