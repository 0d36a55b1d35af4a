"""Routes of who answers for a project and who works in it."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.access import project_people
from gradumen.wire.access.project_people import ProjectPeopleBody, ProjectPeopleSet

router = Router(prefix="/organisations", tags=["projects"])


@router.get("/{organisation}/projects/{project}/people")
def read_project_people(organisation: str, project: str, uow: Uow, caller: CallerHere) -> ProjectPeopleBody:
    """Who answers for a project and who works in it; for members of its organisation."""
    return project_people.read_project_people(uow, caller, organisation=organisation, project=project)


@router.put("/{organisation}/projects/{project}/people")
def set_project_people(
    organisation: str, project: str, body: ProjectPeopleSet, uow: Uow, caller: CallerHere
) -> ProjectPeopleBody:
    """Say who does, by the addresses of members. They are told what concerns the project. Safe to repeat."""
    return project_people.set_project_people(uow, caller, organisation=organisation, project=project, given=body)
