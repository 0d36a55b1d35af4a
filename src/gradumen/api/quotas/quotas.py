"""Routes of quotas."""

from fastapi import APIRouter

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, Uow
from gradumen.usecases.quotas import quotas
from gradumen.wire.quotas.quotas import QuotaBody, QuotaGrant
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute, prefix="/organisations")


@router.get("/{organisation}/quotas", tags=["quotas"])
def list_quotas(organisation: str, uow: Uow, caller: CallerHere) -> Page[QuotaBody]:
    """The quotas of an organisation and its projects."""
    return Page(items=quotas.list_quotas(uow, caller, organisation=organisation))


@router.put("/{organisation}/quotas/{measure}", tags=["quotas"])
def grant_quota(organisation: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere) -> QuotaBody:
    """Set an organisation's limit; its seller gives it. Safe to repeat."""
    wanted = quotas.measure_of(measure)
    return quotas.grant_quota(uow, caller, organisation=organisation, project=None, measure=wanted, **body.model_dump())


@router.put("/{organisation}/projects/{project}/quotas/{measure}", tags=["quotas"])
def grant_project_quota(
    organisation: str, project: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere
) -> QuotaBody:
    """Set a project's limit; its organisation gives it. Safe to repeat."""
    wanted = quotas.measure_of(measure)
    return quotas.grant_quota(
        uow, caller, organisation=organisation, project=project, measure=wanted, **body.model_dump()
    )
