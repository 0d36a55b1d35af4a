"""Routes of what was refused of deliveries."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.documents.refused_items import MOST, write_refused
from gradumen.usecases.metering import refused_items
from gradumen.wire.metering.refused_items import RefusedItemBody
from gradumen.wire.values import Page

router = Router(tags=["feeds"])
CSV = "text/csv; charset=utf-8"


@router.get("/refused-items")
def list_refused_items(
    feed: str,
    uow: Uow,
    caller: CallerHere,
    delivery: UUID | None = None,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[RefusedItemBody]:
    """What was refused of the feed ``organisation/feed`` in the last 60 days, the newest delivery first."""
    size = page_limit(limit)
    found = refused_items.list_refused_items(uow, caller, feed=feed, delivery=delivery, after=after, limit=size + 1)
    return page_of(found, size, lambda last: f"{last.delivery}|{last.position}")


@router.get("/refused-items/file", response_class=Response, responses={200: {"content": {CSV: {}}}})
def write_refused_items(feed: str, uow: Uow, caller: CallerHere, delivery: UUID | None = None) -> Response:
    """The same as CSV, up to 100,000 of them."""
    found = refused_items.list_refused_items(uow, caller, feed=feed, delivery=delivery, after=None, limit=MOST)
    headers = {"Content-Disposition": f'attachment; filename="refused-{feed.rpartition("/")[2]}.csv"'}
    return Response(write_refused(found), headers=headers, media_type=CSV)
