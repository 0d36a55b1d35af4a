"""Routes of feeds, readings and usage."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Request, Response, status

from gradumen.api.bodies import StrictRoute
from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit
from gradumen.api.expensive import EXPENSIVE
from gradumen.core.metering.readings import Reading
from gradumen.core.periods import Period
from gradumen.feeds.cloudevents import BATCH, SINGLE, read_events
from gradumen.usecases.metering import feeds, readings, usage
from gradumen.wire.metering.readings import (
    DeliveryBody,
    DeliveryOutcomeBody,
    FeedBody,
    FeedCreate,
    OutcomeBody,
    SenderCreate,
    UsageBody,
    UsageSumsBody,
)
from gradumen.wire.values import Page

router = APIRouter(route_class=StrictRoute)


async def raw_body(request: Request) -> bytes:
    """The request's bytes, read before the route goes to its thread."""
    return await request.body()


@router.post(
    "/readings",
    tags=["readings"],
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {
                BATCH: {"schema": {"type": "array", "items": {"type": "object"}}},
                SINGLE: {"schema": {"type": "object"}},
                "application/json": {"schema": {"type": "object"}},
            },
        }
    },
)
def send_readings(
    feed: str, request: Request, uow: Uow, caller: CallerHere, body: Annotated[bytes, Depends(raw_body)]
) -> DeliveryOutcomeBody:
    """Send readings as CloudEvents 1.0 (structured, batch or binary mode) to the feed ``organisation/feed``.

    Each item is accepted, known already, or refused with a reason; sending again does no harm.
    """
    read = read_events(request.headers.get("content-type", ""), request.headers, body)
    items = [each if isinstance(each, Reading) else readings.unreadable(*each) for each in read]
    found = readings.send_readings(uow, caller, feed=feed, items=items)
    return DeliveryOutcomeBody(
        delivery_id=found.delivery_id,
        accepted=found.count(readings.ACCEPTED),
        known=found.count(readings.KNOWN),
        refused=found.count(readings.REFUSED),
        outcomes=[OutcomeBody.of(each) for each in found.outcomes],
    )


@router.get("/organisations/{organisation}/feeds", tags=["feeds"])
def list_feeds(organisation: str, uow: Uow, caller: CallerHere) -> Page[FeedBody]:
    """The feeds of a seller."""
    return Page(items=[FeedBody.of(each) for each in feeds.list_feeds(uow, caller, organisation=organisation)])


@router.post(
    "/organisations/{organisation}/feeds",
    status_code=status.HTTP_201_CREATED,
    response_model=FeedBody,
    tags=["feeds"],
)
def create_feed(organisation: str, body: FeedCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Make a feed of a seller."""
    return answered(
        uow,
        once,
        201,
        lambda u: FeedBody.of(feeds.create_feed(u, caller, organisation=organisation, **body.model_dump())),
    )


@router.put("/feeds/senders", tags=["feeds"])
def allow_sender(body: SenderCreate, uow: Uow, caller: CallerHere) -> FeedBody:
    """Let a user send to a feed. Safe to repeat."""
    return FeedBody.of(feeds.allow_sender(uow, caller, **body.model_dump()))


@router.get("/deliveries", tags=["feeds"])
def list_deliveries(
    feed: str, uow: Uow, caller: CallerHere, after: UUID | None = None, limit: Annotated[int, Query()] = 50
) -> Page[DeliveryBody]:
    """What a feed delivered, newest first."""
    size = page_limit(limit)
    found = feeds.list_deliveries(uow, caller, feed=feed, before=after, limit=size + 1)
    items = [DeliveryBody.of(each) for each in found[:size]]
    return Page(items=items, next=str(items[-1].id) if len(found) > size else None)


@router.get("/organisations/{organisation}/usage", tags=["usage"], dependencies=EXPENSIVE)
def sum_usage(
    organisation: str,
    period: str,
    uow: Uow,
    caller: CallerHere,
    by: Annotated[list[str], Query()] = [],  # noqa: B006  # FastAPI copies it
    project: str | None = None,
    meter: str | None = None,
    limit: Annotated[int, Query()] = 500,
) -> UsageSumsBody:
    """Usage of an organisation and all below in a month, by day, meter, resource, project or organisation."""
    size = page_limit(limit, 5000)
    Period.parse(period)
    usage.refresh_usage(uow)
    found = usage.sum_usage(
        uow,
        caller,
        organisation=organisation,
        period=period,
        by=tuple(by),
        project=project,
        meter=meter,
        limit=size + 1,
    )
    items = [UsageBody.of(each) for each in found[:size]]
    return UsageSumsBody(organisation=organisation, period=period, items=items, more=len(found) > size)
