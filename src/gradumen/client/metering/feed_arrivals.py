"""What comes in by feeds."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.feed_arrivals import FeedArrivalBody


class FeedArrivals:
    """What comes in by feeds, beside what usually does."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[FeedArrivalBody]:
        """Each feed of a seller: whether it is late, how far behind, and how much came."""
        return self._connection.page(f"organisations/{organisation}/feed-arrivals", FeedArrivalBody).items
