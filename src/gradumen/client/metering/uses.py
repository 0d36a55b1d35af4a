"""What is in use of what quotas limit."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.uses import UseBody


class Uses:
    """Use of what quotas limit, now."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[UseBody]:
        """What an organisation and all below it use of each measure."""
        return self._connection.all(f"organisations/{organisation}/uses", UseBody)
