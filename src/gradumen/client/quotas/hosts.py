"""Hosts of clouds."""

import builtins
from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.quotas.hosts import HostDayBody, HostsBody
from gradumen.wire.tasks import TaskBody


class Hosts:
    """What the hosts of one's clouds have, hand out and have in use."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, cloud: UUID, *, search: str = "", after: str | None = None, limit: int = 100) -> HostsBody:
        """A page of the hosts of a cloud, as they were at the last look."""
        return self._connection.get(f"clouds/{cloud}/hosts", HostsBody, search=search, after=after, limit=limit)

    def look(self, cloud: UUID, *, key: str | None = None) -> TaskBody:
        """Look at them now."""
        return self._connection.post(f"clouds/{cloud}/hosts/look", TaskBody, key=key)

    def days(
        self, cloud: UUID, *, host: str | None = None, first: date | None = None, end: date | None = None
    ) -> builtins.list[HostDayBody]:
        """What a host, or all together, had on each UTC day, from one until before another."""
        return self._connection.page(f"clouds/{cloud}/host-days", HostDayBody, host=host, first=first, end=end).items
