"""Routes of clouds whose usage comes by a feed."""

from uuid import UUID

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import cloud_feeds
from gradumen.wire.metering.cloud_feeds import CloudFeedBody, CloudFeedSet
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/cloud-feeds")
def list_cloud_feeds(organisation: str, uow: Uow, caller: CallerHere) -> Page[CloudFeedBody]:
    """The clouds of a seller, each with the feed by which its usage comes; for its own members."""
    return Page(items=cloud_feeds.list_cloud_feeds(uow, caller, organisation=organisation))


@router.put("/clouds/{cloud}/feed")
def set_cloud_feed(cloud: UUID, body: CloudFeedSet, uow: Uow, caller: CallerHere) -> CloudFeedBody:
    """Let what is used in a cloud come by a feed: in each of its accounts it is of who has that. Safe to repeat."""
    return cloud_feeds.set_cloud_feed(uow, caller, cloud=cloud, feed=body.feed)


@router.delete("/clouds/{cloud}/feed", status_code=status.HTTP_204_NO_CONTENT)
def drop_cloud_feed(cloud: UUID, uow: Uow, caller: CallerHere) -> None:
    """Give accounts that come to nobody by themselves any more. Safe to repeat."""
    cloud_feeds.drop_cloud_feed(uow, caller, cloud=cloud)
