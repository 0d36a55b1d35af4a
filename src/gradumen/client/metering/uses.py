"""What is in use of what quotas limit."""

import builtins
from datetime import date

from gradumen.client.connection import Connection
from gradumen.wire.metering.uses import UseBody, UseDayBody


class Uses:
    """Use of what quotas limit, now and over time."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[UseBody]:
        """What an organisation and all below it use of each measure."""
        return self._connection.all(f"organisations/{organisation}/uses", UseBody)

    def days(
        self, organisation: str, measure: str, *, first: date | None = None, end: date | None = None
    ) -> builtins.list[UseDayBody]:
        """What they used of a measure on each UTC day from one until before another; by default the last 30."""
        path = f"organisations/{organisation}/uses/{measure}/days"
        return self._connection.all(path, UseDayBody, first=first, end=end)
