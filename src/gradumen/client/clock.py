"""The business clock."""

from datetime import datetime

from gradumen.client.connection import Connection
from gradumen.wire.clock import ClockBody, ClockUpdate


class Clock:
    """The business clock."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def read(self) -> ClockBody:
        """The business time."""
        return self._connection.get("clock", ClockBody)

    def set(self, to: datetime | None, *, held: bool = False) -> ClockBody:
        """Move the business clock, where the settings allow it."""
        return self._connection.put("clock", ClockBody, ClockUpdate(to=to, held=held))
