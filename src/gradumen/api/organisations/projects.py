"""Routes of projects."""

from fastapi import APIRouter, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.usecases.organisations import projects
from gradumen.wire.organisations.projects import ProjectBody, ProjectCreate
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute, prefix="/organisations")


@router.get("/{organisation}/projects", tags=["projects"])
def list_projects(organisation: str, uow: Uow, caller: CallerHere) -> Page[ProjectBody]:
    """The projects of an organisation."""
    return Page(items=projects.list_projects(uow, caller, organisation=organisation))


@router.post(
    "/{organisation}/projects", status_code=status.HTTP_201_CREATED, response_model=ProjectBody, tags=["projects"]
)
def create_project(organisation: str, body: ProjectCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Add a project to an organisation."""
    return answered(
        uow,
        once,
        201,
        lambda u: projects.create_project(u, caller, organisation=organisation, **body.model_dump()),
    )
