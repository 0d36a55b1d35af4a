"""Projects: units of an organisation that use and are charged."""

from uuid import uuid4

from gradumen.core.errors import Conflict
from gradumen.core.names import name_of, slug_of
from gradumen.core.permissions import Right
from gradumen.store.organisations.organisations import projects_of
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.limits import check_room_for_project
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.organisations.projects import ProjectBody


@use_case
def create_project(
    tx: Session, caller: Caller, *, organisation: str, slug: str, name: str, cost_centre: str | None
) -> ProjectBody:
    """Add a project to an organisation.

    Raises:
        Conflict: the slug is taken in it.
        QuotaExceeded: it may have no more projects.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_ORGANISATIONS, owner)
    check_room_for_project(tx, scope, owner)
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
    return _view(owner, row)


@use_case
def list_projects(tx: Session, caller: Caller, *, organisation: str) -> list[ProjectBody]:
    """The projects of an organisation, by slug."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    return [_view(owner, row) for row in projects_of(tx, [owner.id])]


def _view(owner: OrganisationRow, row: ProjectRow) -> ProjectBody:
    return ProjectBody(id=row.id, organisation=owner.slug, slug=row.slug, name=row.name, cost_centre=row.cost_centre)
