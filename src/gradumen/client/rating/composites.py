"""What is charged with composites, or as their components."""

from gradumen.client.connection import Connection
from gradumen.wire.rating.composites import CompositeUsagesBody


class Composites:
    """Usage that is charged with other usage."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self, organisation: str, period: str, *, resource: str | None = None, limit: int = 5000, wait: float = 0
    ) -> CompositeUsagesBody:
        """What of a month is charged with other usage, to an organisation's customers and to itself.

        Args:
            resource: only of this composite, or of this component.
            wait: for so many seconds at most, until nothing that came in waits to be counted.
        """
        return self._connection.get_current(
            f"organisations/{organisation}/composites",
            CompositeUsagesBody,
            period=period,
            resource=resource,
            limit=limit,
            wait=wait,
        )
