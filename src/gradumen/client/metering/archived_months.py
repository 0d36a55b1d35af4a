"""Months of readings that are archived."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.archived_months import ArchivedMonthsBody, ArchivedMonthsSet


class ArchivedMonths:
    """Which months of readings are archived, in the whole installation."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self) -> ArchivedMonthsBody:
        """Which they are, and what each month takes."""
        return self._connection.get("archived-months", ArchivedMonthsBody)

    def set(self, before: str | None) -> ArchivedMonthsBody:
        """Archive what was measured before a month, and bring back the rest; None brings back all."""
        return self._connection.put("archived-months", ArchivedMonthsBody, body=ArchivedMonthsSet(before=before))
