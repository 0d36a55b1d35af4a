"""Routes of projects, and of the levels of their trees."""

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.organisations import projects
from gradumen.wire.organisations.projects import ProjectBody, ProjectCreate, ProjectLevels, ProjectUpdate
from gradumen.wire.values import Page

router = Router(prefix="/organisations", tags=["projects"])


@router.get("/{organisation}/projects")
def list_projects(organisation: str, uow: Uow, caller: CallerHere) -> Page[ProjectBody]:
    """The projects of an organisation, each after the one that it is under."""
    return Page(items=projects.list_projects(uow, caller, organisation=organisation))


@router.post("/{organisation}/projects", status_code=status.HTTP_201_CREATED, response_model=ProjectBody)
def create_project(organisation: str, body: ProjectCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Add a project to an organisation, at the top of its tree or under another."""
    return answered(uow, once, 201, lambda u: projects.create_project(u, caller, organisation=organisation, given=body))


@router.patch("/{organisation}/projects/{project}")
def change_project(organisation: str, project: str, body: ProjectUpdate, uow: Uow, caller: CallerHere) -> ProjectBody:
    """Change a project's name, its place in the tree, or its cost centre from today on, over the version read."""
    given = body.model_dump(exclude_unset=True, exclude={"version"})
    return projects.change_project(
        uow, caller, organisation=organisation, project=project, version=body.version, given=given
    )


@router.get("/{organisation}/project-levels")
def read_project_levels(organisation: str, uow: Uow, caller: CallerHere) -> ProjectLevels:
    """What an organisation calls the levels of its tree of projects."""
    return projects.read_project_levels(uow, caller, organisation=organisation)


@router.put("/{organisation}/project-levels")
def set_project_levels(organisation: str, body: ProjectLevels, uow: Uow, caller: CallerHere) -> ProjectLevels:
    """Name them, from the top; it has no more levels than names. Without names it has up to four. Safe to repeat."""
    return projects.set_project_levels(uow, caller, organisation=organisation, names=body.names)
