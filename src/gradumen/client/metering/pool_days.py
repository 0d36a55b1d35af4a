"""Pools day by day."""

from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.metering.pool_days import PoolDayBody


class PoolDays:
    """What there was of one's pools, what was promised and in use."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, pool: UUID, *, first: date | None = None, end: date | None = None) -> list[PoolDayBody]:
        """Each UTC day that is noted, from one until before another; the last 30 unless said."""
        return self._connection.page(f"pools/{pool}/days", PoolDayBody, first=first, end=end).items
