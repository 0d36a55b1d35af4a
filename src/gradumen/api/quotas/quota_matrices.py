"""Routes of the limits of all that an organisation sells to."""

from typing import Annotated

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit
from gradumen.api.routers import Router
from gradumen.usecases.quotas import quota_matrices
from gradumen.wire.quotas.quota_matrices import QuotaMatrixBody, QuotaMatrixChangedBody, QuotaMatrixUpdate

router = Router(tags=["quotas"])


@router.get("/organisations/{organisation}/quota-matrix")
def read_quota_matrix(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    search: Annotated[str, Query(max_length=80)] = "",
    after: str | None = None,
    limit: Annotated[int, Query()] = 50,
) -> QuotaMatrixBody:
    """The limits of an organisation's customers beside each other, by slug."""
    return quota_matrices.read_quota_matrix(
        uow, caller, organisation=organisation, search=search, after=after, limit=page_limit(limit)
    )


@router.put("/organisations/{organisation}/quota-matrix")
def change_quota_matrix(
    organisation: str, body: QuotaMatrixUpdate, uow: Uow, caller: CallerHere
) -> QuotaMatrixChangedBody:
    """Set limits of an organisation's customers together or not at all, or only see whether they fit."""
    return quota_matrices.change_quota_matrix(uow, caller, organisation=organisation, update=body)
