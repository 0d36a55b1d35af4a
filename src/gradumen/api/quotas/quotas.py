"""Routes of quotas."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases.quotas import quotas
from gradumen.wire.quotas.quotas import QuotaBody, QuotaChangeBody, QuotaGrant
from gradumen.wire.values import Page

router = Router(prefix="/organisations")


@router.get("/{organisation}/quotas", tags=["quotas"])
def list_quotas(organisation: str, uow: Uow, caller: CallerHere) -> Page[QuotaBody]:
    """The quotas of an organisation and its projects."""
    return Page(items=quotas.list_quotas(uow, caller, organisation=organisation))


@router.get("/{organisation}/quotas/changes", tags=["quotas"])
def list_quota_changes(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    measure: str | None = None,
    after: Annotated[int | None, Query(ge=1)] = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[QuotaChangeBody]:
    """What it and its projects might have when, the latest first."""
    size = page_limit(limit)
    found = quotas.list_quota_changes(
        uow, caller, organisation=organisation, measure=measure, after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: str(last.id))


@router.put("/{organisation}/quotas/{measure}", tags=["quotas"])
def grant_quota(organisation: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere) -> QuotaBody:
    """Set an organisation's limit; its seller gives it. Safe to repeat."""
    return quotas.grant_quota(uow, caller, organisation=organisation, project=None, measure=measure, **dict(body))


@router.put("/{organisation}/projects/{project}/quotas/{measure}", tags=["quotas"])
def grant_project_quota(
    organisation: str, project: str, measure: str, body: QuotaGrant, uow: Uow, caller: CallerHere
) -> QuotaBody:
    """Set a project's limit; its organisation gives it. Safe to repeat."""
    return quotas.grant_quota(uow, caller, organisation=organisation, project=project, measure=measure, **dict(body))
