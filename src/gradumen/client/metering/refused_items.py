"""What was refused of deliveries."""

import builtins
from collections.abc import Iterator
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.metering.refused_items import RefusedItemBody


class RefusedItems:
    """What was refused of a feed's deliveries, kept for 60 days."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, feed: str, *, delivery: UUID | None = None, most: int | None = None) -> list[RefusedItemBody]:
        """All of it, the newest delivery first, or of one delivery; so many at most."""
        found: list[RefusedItemBody] = []
        for page in self._pages(feed, delivery, min(most or 500, 500)):
            found += page
            if most is not None and len(found) >= most:
                return found[:most]
        return found

    def _pages(self, feed: str, delivery: UUID | None, size: int) -> Iterator[builtins.list[RefusedItemBody]]:
        after: str | None = None
        while True:
            page = self._connection.page(
                "refused-items", RefusedItemBody, feed=feed, delivery=delivery, after=after, limit=size
            )
            yield page.items
            if page.next is None:
                return
            after = page.next

    def file(self, feed: str, *, delivery: UUID | None = None) -> bytes:
        """The same as CSV, for whoever sends it again."""
        return self._connection.get_file("refused-items/file", feed=feed, delivery=delivery)
