"""First readings of accounts in clouds."""

from gradumen.client.connection import Connection
from gradumen.wire.metering.first_readings import FirstReadingBody


class FirstReadings:
    """Whether something was measured in an organisation's accounts: the last step of coming on board."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[FirstReadingBody]:
        """Of each account when something was measured in it first."""
        return self._connection.page(f"organisations/{organisation}/first-readings", FirstReadingBody).items
