"""How much of a resource was used hour by hour."""

from datetime import date

from gradumen.client.connection import Connection
from gradumen.wire.metering.loads import LoadsBody


class Loads:
    """Loads of resources."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, resource: str, *, first: date, until: date, wait: float = 0) -> LoadsBody:
        """What an organisation and all below use of a resource in each hour, on days from one up to another.

        Args:
            wait: for so many seconds at most, until nothing that came in waits to be counted.
        """
        return self._connection.get_current(
            f"organisations/{organisation}/loads",
            LoadsBody,
            resource=resource,
            first=first.isoformat(),
            until=until.isoformat(),
            wait=wait,
        )
