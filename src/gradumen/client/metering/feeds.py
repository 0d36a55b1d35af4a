"""Ways in for usage."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.readings import (
    DeliveryBody,
    FeedBody,
    FeedCreate,
    SenderCreate,
)


class Feeds:
    """Ways in for usage."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def create(self, organisation: str, *, slug: str, name: str, key: str | None = None) -> FeedBody:
        """Make a feed."""
        body = FeedCreate(slug=slug, name=name)
        return self._connection.post(f"organisations/{organisation}/feeds", FeedBody, body, key=key)

    def allow(self, feed: str, email: str) -> FeedBody:
        """Let a user send to a feed."""
        return self._connection.put("feeds/senders", FeedBody, SenderCreate(feed=feed, email=email))

    def deliveries(self, feed: str, *, limit: int = 50) -> list[DeliveryBody]:
        """What a feed delivered, newest first."""
        return self._connection.page("deliveries", DeliveryBody, feed=feed, limit=limit).items

    def list(self, organisation: str) -> list[FeedBody]:
        """The feeds of a seller."""
        return self._connection.page(f"organisations/{organisation}/feeds", FeedBody).items
