"""Route of readings."""

from typing import Annotated

import msgspec
from fastapi import Depends, Request, Response

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import Reading, Told
from gradumen.feeds.cloudevents import BATCH, SINGLE, read_events
from gradumen.usecases.metering import readings
from gradumen.wire.metering.readings import DeliveryOutcomeBody

router = Router()


async def raw_body(request: Request) -> bytes:
    """The request's bytes, read before the route goes to its thread."""
    return await request.body()


@router.post(
    "/readings",
    tags=["readings"],
    response_model=DeliveryOutcomeBody,
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
) -> Response:
    """Send readings as CloudEvents 1.0 (structured, batch or binary mode) to the feed ``organisation/feed``.

    What happens to resources comes in the same way, as events of types of their own, and up to when all has been told.
    Each item is accepted, known already, or refused with a reason; sending again does no harm.
    """
    read = read_events(request.headers.get("content-type", ""), request.headers, body)
    items = [each if isinstance(each, Reading | Told | Listing) else readings.unreadable(*each) for each in read]
    found = readings.send_readings(uow, caller, feed=feed, items=items)
    # Thousands of outcomes, which nobody needs to be validated again: written straight away.
    return Response(msgspec.json.encode(found), media_type="application/json")
