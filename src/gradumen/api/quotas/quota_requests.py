"""Routes of requests for other limits."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases.quotas import quota_requests
from gradumen.wire.quotas.quota_requests import QuotaRequestAnswer, QuotaRequestBody, QuotaRequestCreate
from gradumen.wire.values import Page

router = Router(tags=["quotas"])


@router.get("/organisations/{organisation}/quota-requests")
def list_quota_requests(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[QuotaRequestBody]:
    """What an organisation asked its seller for, and is asked by its customers, the latest first.

    For its members; for those of its direct seller what that is asked by it.
    """
    size = page_limit(limit)
    found = quota_requests.list_quota_requests(uow, caller, organisation=organisation, after=after, limit=size + 1)
    return page_of(found, size, lambda last: f"{last.asked_at.isoformat()}|{last.id}")


@router.post(
    "/organisations/{organisation}/quota-requests",
    status_code=status.HTTP_201_CREATED,
    response_model=QuotaRequestBody,
)
def ask_quota(organisation: str, body: QuotaRequestCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Ask the seller for another limit; an open request of the same measure is replaced."""
    return answered(
        uow,
        once,
        201,
        lambda u: quota_requests.ask_quota(
            u, caller, organisation=organisation, measure=body.measure, limit=body.limit, reason=body.reason
        ),
    )


@router.post("/quota-requests/{request}/answer")
def answer_quota_request(request: UUID, body: QuotaRequestAnswer, uow: Uow, caller: CallerHere) -> QuotaRequestBody:
    """Grant it, grant less, or refuse it with a reason; its seller's to do. Safe to repeat."""
    return quota_requests.answer_quota_request(uow, caller, request=request, limit=body.limit, reason=body.reason)


@router.post("/quota-requests/{request}/withdraw")
def withdraw_quota_request(request: UUID, uow: Uow, caller: CallerHere) -> QuotaRequestBody:
    """Take it back. Safe to repeat."""
    return quota_requests.withdraw_quota_request(uow, caller, request=request)
