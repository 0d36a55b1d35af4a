"""How long data is kept."""

from gradumen.client.connection import Connection
from gradumen.wire.retentions import RetentionBody


class Retentions:
    """How long the service keeps what it knows."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self) -> list[RetentionBody]:
        """Each kind of data."""
        return self._connection.page("retentions", RetentionBody).items
