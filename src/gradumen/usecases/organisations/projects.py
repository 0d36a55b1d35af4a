"""Projects: units of an organisation that use and are charged, as a tree whose levels it names."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.names import name_of, slug_of
from gradumen.core.organisations.projects import MOST_LEVELS, ProjectTree, check_place
from gradumen.core.permissions import Right
from gradumen.store.metering.ownership_rules import mark_named
from gradumen.store.organisations.cost_centres import note_cost_centre
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.projects import levels_of, projects_of, set_levels
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.quotas.promised import raise_divided
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.limits import check_room_for_project
from gradumen.usecases.project_limits import move_limits
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, get_project, load_scope, today_of
from gradumen.wire.organisations.projects import ProjectBody, ProjectCreate, ProjectLevels


@use_case
def create_project(tx: Session, caller: Caller, *, organisation: str, given: ProjectCreate) -> ProjectBody:
    """Add a project to an organisation.

    Raises:
        NotFound: there is no project that it is to be under.
        Conflict: the slug is taken in it, or there would be too many levels.
        QuotaExceeded: it may have no more projects.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_ORGANISATIONS, owner)
    check_room_for_project(tx, scope, owner)
    parent = _placed(tx, owner, None, given.parent) if given.parent else None
    row = ProjectRow(
        id=uuid4(),
        organisation_id=owner.id,
        slug=slug_of(given.slug, field="slug"),
        name=name_of(given.name, field="name"),
        cost_centre=_centre(given.cost_centre),
        parent_id=parent,
        version=1,
    )
    if not add_new(tx, row):
        raise Conflict(f"'{owner.slug}' has a project '{given.slug}' already; choose another slug", field="slug")
    mark_named(tx, f"{owner.slug}/{row.slug}", caller.at)
    _record(tx, scope, owner, "project made", f"{owner.slug}/{row.slug}", {}, {"name": row.name})
    return _views(owner, [*projects_of(tx, [owner.id])], row.id)[0]


@use_case
def change_project(
    tx: Session, caller: Caller, *, organisation: str, project: str, version: int, given: Mapping[str, Any]
) -> ProjectBody:
    """Change what is given of a project. What was spent goes by the cost centre of its day, and by today's tree.

    Raises:
        EditedMeanwhile: it is at another version.
        NotFound: there is no project that it is to be under.
        Conflict: it would be under itself, or there would be too many levels.
        QuotaExceeded: its limits, or those below it, do not fit what it would be under.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_ORGANISATIONS, owner)
    lock_organisation(tx, owner.id)
    row = get_project(tx, owner, project)
    tx.refresh(row)
    check_unchanged("project", row.version, version)
    before = _told(tx, owner, row)
    if given.get("name") is not None:
        row.name = name_of(given["name"], field="name")
    if "parent" in given:
        was_under = row.parent_id
        row.parent_id = _placed(tx, owner, row.id, given["parent"]) if given["parent"] else None
        if row.parent_id != was_under:
            tx.flush()
            move_limits(tx, scope, owner, row.id)
            raise_divided(tx, owner.id)
    if "cost_centre" in given:
        was, row.cost_centre = row.cost_centre, _centre(given["cost_centre"])
        if was != row.cost_centre:
            day = today_of(tx, scope, owner)
            note_cost_centre(tx, owner.id, row.id, before=was, after=row.cost_centre, day=day)
    row.version += 1
    tx.flush()
    _record(tx, scope, owner, "project changed", f"{owner.slug}/{row.slug}", before, _told(tx, owner, row))
    return _views(owner, projects_of(tx, [owner.id]), row.id)[0]


def _centre(raw: str | None) -> str | None:
    return name_of(raw, field="cost_centre", most=60) if raw else None


def _placed(tx: Session, owner: OrganisationRow, project: UUID | None, parent: str) -> UUID:
    """The project that another, or a new one, is to be under; rivals wait for the organisation's row."""
    lock_organisation(tx, owner.id)
    above = get_project(tx, owner, parent)
    named = levels_of(tx, [owner.id]).get(owner.id)
    tree = ProjectTree({row.id: row.parent_id for row in projects_of(tx, [owner.id])})
    check_place(tree, project, above.id, len(named) if named else MOST_LEVELS)
    return above.id


def _told(tx: Session, owner: OrganisationRow, row: ProjectRow) -> dict[str, Any]:
    above = tx.get_one(ProjectRow, row.parent_id).slug if row.parent_id else None
    return {"name": row.name, "cost_centre": row.cost_centre, "under": above}


def _record(
    tx: Session,
    scope: Scope,
    owner: OrganisationRow,
    action: str,
    what: str,
    before: Mapping[str, Any],
    after: Mapping[str, Any],
) -> None:
    changed = [name for name in after if before.get(name) != after[name]]
    if not changed and before:
        return
    acting = acting_for(scope, owner.id, Right.MANAGE_ORGANISATIONS)
    was = {name: before[name] for name in changed} if before else None
    now = {name: after[name] for name in changed}
    record(tx, scope.caller, action, acting, what, concerns=owner.id, before=was, after=now)


@use_case
def list_projects(tx: Session, caller: Caller, *, organisation: str) -> list[ProjectBody]:
    """The projects of an organisation, each after the one that it is under, by slug."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    return _views(owner, projects_of(tx, [owner.id]))


@use_case
def read_project_levels(tx: Session, caller: Caller, *, organisation: str) -> ProjectLevels:
    """What an organisation calls the levels of its tree."""
    owner = get_organisation(tx, load_scope(tx, caller), organisation)
    return ProjectLevels(names=levels_of(tx, [owner.id]).get(owner.id, []))


@use_case
def set_project_levels(tx: Session, caller: Caller, *, organisation: str, names: Sequence[str]) -> ProjectLevels:
    """Name the levels of an organisation's tree, from the top; without names there may be `MOST_LEVELS`.

    Raises:
        Forbidden: it is the organisation's own to say.
        Invalid: too many names, or one twice.
        Conflict: there are projects on a level that would have no name.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_ORGANISATIONS, owner)
    found = [name_of(" ".join(each.split()), field="names", most=60) for each in names]
    if len(found) > MOST_LEVELS:
        raise Invalid(f"a tree has at most {MOST_LEVELS} levels; got {len(found)}", field="names")
    if len({each.casefold() for each in found}) < len(found):
        raise Invalid("two levels have one name; each has its own", field="names")
    lock_organisation(tx, owner.id)
    rows = projects_of(tx, [owner.id])
    tree = ProjectTree({row.id: row.parent_id for row in rows})
    deepest = max((len(tree.path(row.id)) for row in rows), default=0)
    if found and deepest > len(found):
        raise Conflict(f"there are projects on level {deepest}; name that too, or move them up first", field="names")
    before = levels_of(tx, [owner.id]).get(owner.id, [])
    set_levels(tx, owner.id, found)
    if before != found:
        was, now = {"names": before}, {"names": found}
        record(tx, caller, "project levels named", owner.id, owner.slug, before=was, after=now)
    return ProjectLevels(names=found)


def _views(owner: OrganisationRow, rows: Sequence[ProjectRow], only: UUID | None = None) -> list[ProjectBody]:
    """Projects in the order of their tree, or one of them."""
    by_id = {row.id: row for row in rows}
    tree = ProjectTree({row.id: row.parent_id for row in rows})
    return [
        ProjectBody(
            id=row.id,
            organisation=owner.slug,
            slug=row.slug,
            name=row.name,
            cost_centre=row.cost_centre,
            parent=by_id[row.parent_id].slug if row.parent_id else None,
            level=len(tree.path(row.id)),
            version=row.version,
        )
        for row in map(by_id.__getitem__, tree.in_order(by_id) if only is None else [only])
    ]
