"""Which feed gives way to which."""

import builtins
from collections.abc import Sequence
from urllib.parse import urlencode

from gradumen.client.connection import Connection
from gradumen.wire.metering.feed_precedences import (
    FeedComparisonBody,
    FeedFirst,
    FeedPrecedencesBody,
    FeedPrecedencesSet,
)


class FeedPrecedences:
    """Which feed counts where several measure the same."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> builtins.list[FeedPrecedencesBody]:
        """The feeds of a seller that give way to others."""
        return self._connection.page(f"organisations/{organisation}/feed-precedences", FeedPrecedencesBody).items

    def set(self, feed: str, to: Sequence[FeedFirst]) -> FeedPrecedencesBody:
        """Let a feed give way to these, and to no other."""
        path = f"feeds/precedences?{urlencode({'feed': feed})}"
        return self._connection.put(path, FeedPrecedencesBody, FeedPrecedencesSet(to=list(to)))

    def compare(self, feed: str, period: str, *, wait: float = 0) -> FeedComparisonBody:
        """What a feed measured in a month where it gave way, beside what counts in its place.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        return self._connection.get_current("feeds/comparison", FeedComparisonBody, wait=wait, feed=feed, period=period)
