"""By which feed the usage of a cloud comes."""

import builtins
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.metering.cloud_feeds import CloudFeedBody, CloudFeedSet


class CloudFeeds:
    """Clouds whose usage comes by a feed."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> builtins.list[CloudFeedBody]:
        """The clouds of a seller, each with the feed by which its usage comes."""
        return self._connection.page(f"organisations/{organisation}/cloud-feeds", CloudFeedBody).items

    def set(self, cloud: UUID, feed: str) -> CloudFeedBody:
        """Let what is used in a cloud come by a feed, of who has the account that it is used in."""
        return self._connection.put(f"clouds/{cloud}/feed", CloudFeedBody, CloudFeedSet(feed=feed))

    def drop(self, cloud: UUID) -> None:
        """Give accounts that come to nobody by themselves any more."""
        self._connection.delete(f"clouds/{cloud}/feed")
