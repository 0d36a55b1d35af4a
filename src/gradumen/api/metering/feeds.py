"""Routes of feeds and their deliveries."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases.metering import feeds
from gradumen.wire.metering.readings import (
    DeliveryBody,
    FeedBody,
    FeedCreate,
    SenderCreate,
)
from gradumen.wire.values import Page

router = Router()


@router.get("/organisations/{organisation}/feeds", tags=["feeds"])
def list_feeds(organisation: str, uow: Uow, caller: CallerHere) -> Page[FeedBody]:
    """The feeds of a seller."""
    return Page(items=feeds.list_feeds(uow, caller, organisation=organisation))


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
        lambda u: feeds.create_feed(u, caller, organisation=organisation, **body.model_dump()),
    )


@router.put("/feeds/senders", tags=["feeds"])
def allow_sender(body: SenderCreate, uow: Uow, caller: CallerHere) -> FeedBody:
    """Let a user send to a feed. Safe to repeat."""
    return feeds.allow_sender(uow, caller, **body.model_dump())


@router.get("/deliveries", tags=["feeds"])
def list_deliveries(
    feed: str, uow: Uow, caller: CallerHere, after: UUID | None = None, limit: Annotated[int, Query()] = 50
) -> Page[DeliveryBody]:
    """What a feed delivered, newest first."""
    size = page_limit(limit)
    found = feeds.list_deliveries(uow, caller, feed=feed, before=after, limit=size + 1)
    return page_of(found, size, lambda last: str(last.id))
