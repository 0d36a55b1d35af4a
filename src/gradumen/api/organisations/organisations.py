"""Routes of organisations, projects and quotas."""

from typing import Annotated

from fastapi import APIRouter, Query, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.usecases.organisations import organisations
from gradumen.usecases.quotas import quotas
from gradumen.wire.organisations.organisations import OrganisationBody, OrganisationCreate, OrganisationUpdate
from gradumen.wire.organisations.projects import ProjectBody, ProjectCreate
from gradumen.wire.quotas.quotas import QuotaBody, QuotaGrant
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute, prefix="/organisations")


@router.get("", tags=["organisations"])
def list_organisations(
    uow: Uow,
    caller: CallerHere,
    after: str | None = None,
    limit: Annotated[int, Query()] = 200,
    search: Annotated[str, Query(max_length=80)] = "",
) -> Page[OrganisationBody]:
    """The organisations that the caller sees, by slug."""
    size = page_limit(limit, 2000)
    found = organisations.list_organisations(uow, caller, after=after, limit=size + 1, search=search)
    items = [OrganisationBody.of(each) for each in found[:size]]
    return Page(items=items, next=items[-1].slug if len(found) > size else None)


@router.post("", status_code=status.HTTP_201_CREATED, response_model=OrganisationBody, tags=["organisations"])
def create_organisation(body: OrganisationCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Bring a reseller or tenant on board under a seller."""
    return answered(
        uow,
        once,
        201,
        lambda u: OrganisationBody.of(organisations.create_organisation(u, caller, **body.model_dump())),
    )


@router.get("/{organisation}", tags=["organisations"])
def read_organisation(organisation: str, uow: Uow, caller: CallerHere) -> OrganisationBody:
    """One organisation."""
    return OrganisationBody.of(organisations.read_organisation(uow, caller, slug=organisation))


@router.patch("/{organisation}", tags=["organisations"])
def set_segment(organisation: str, body: OrganisationUpdate, uow: Uow, caller: CallerHere) -> OrganisationBody:
    """Say what kind of customer a buyer is. Safe to repeat."""
    return OrganisationBody.of(organisations.set_segment(uow, caller, organisation=organisation, **body.model_dump()))


@router.get("/{organisation}/projects", tags=["projects"])
def list_projects(organisation: str, uow: Uow, caller: CallerHere) -> Page[ProjectBody]:
    """The projects of an organisation."""
    found = organisations.list_projects(uow, caller, organisation=organisation)
    return Page(items=[ProjectBody.of(each) for each in found])


@router.post(
    "/{organisation}/projects", status_code=status.HTTP_201_CREATED, response_model=ProjectBody, tags=["projects"]
)
def create_project(organisation: str, body: ProjectCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Add a project to an organisation."""
    return answered(
        uow,
        once,
        201,
        lambda u: ProjectBody.of(
            organisations.create_project(u, caller, organisation=organisation, **body.model_dump())
        ),
    )


@router.get("/{organisation}/quotas", tags=["quotas"])
def list_quotas(organisation: str, uow: Uow, caller: CallerHere) -> Page[QuotaBody]:
    """The quotas of an organisation and its projects."""
    found = quotas.list_quotas(uow, caller, organisation=organisation)
    return Page(items=[QuotaBody.of(each) for each in found])


@router.put("/{organisation}/quotas/{measure}", tags=["quotas"])
def grant_quota(organisation: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere) -> QuotaBody:
    """Set an organisation's limit; its seller gives it. Safe to repeat."""
    return QuotaBody.of(
        quotas.grant_quota(
            uow,
            caller,
            organisation=organisation,
            project=None,
            measure=quotas.measure_of(measure),
            **body.model_dump(),
        )
    )


@router.put("/{organisation}/projects/{project}/quotas/{measure}", tags=["quotas"])
def grant_project_quota(
    organisation: str, project: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere
) -> QuotaBody:
    """Set a project's limit; its organisation gives it. Safe to repeat."""
    return QuotaBody.of(
        quotas.grant_quota(
            uow,
            caller,
            organisation=organisation,
            project=project,
            measure=quotas.measure_of(measure),
            **body.model_dump(),
        )
    )
