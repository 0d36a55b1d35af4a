"""What was used."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.metering.usage import UsageSumsBody


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
        resource: str | None = None,
        limit: int = 5000,
        wait: float = 0,
    ) -> UsageSumsBody:
        """Usage of an organisation and all below in a month.

        Args:
            by: day, meter, resource, project, organisation, feed, cloud, region, or an attribute like
                ``attribute:size``.
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        return self._connection.get_current(
            f"organisations/{organisation}/usage",
            UsageSumsBody,
            period=period,
            by=list(by),
            project=project,
            meter=meter,
            resource=resource,
            limit=limit,
            wait=wait,
        )
