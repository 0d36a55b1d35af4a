"""What was used."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.metering.readings import (
    UsageSumsBody,
)


class Usage:
    """Usage in base units."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def sum(
        self,
        organisation: str,
        period: str,
        *,
        by: Sequence[str] = (),
        project: str | None = None,
        meter: str | None = None,
        limit: int = 5000,
    ) -> UsageSumsBody:
        """Usage of an organisation and all below in a month, by day, meter, resource, project or organisation."""
        return self._connection.get(
            f"organisations/{organisation}/usage",
            UsageSumsBody,
            period=period,
            by=list(by),
            project=project,
            meter=meter,
            limit=limit,
        )
