"""How long resources were as feeds say."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.spells import SpellsBody


class Spells:
    """Spells of resources."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self, organisation: str, period: str, *, resource: str | None = None, limit: int = 5000, wait: float = 0
    ) -> SpellsBody:
        """Those of an organisation and all below in a month; of one ``resource`` also what was said of it.

        Args:
            wait: for so many seconds at most, until nothing that came in waits to be counted.
        """
        return self._connection.get_current(
            f"organisations/{organisation}/spells",
            SpellsBody,
            period=period,
            resource=resource,
            limit=limit,
            wait=wait,
        )
