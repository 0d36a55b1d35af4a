"""Who organisations are on paper."""

from gradumen.client.connection import Connection
from gradumen.wire.organisations.details import DetailsBody, DetailsUpdate


class Details:
    """Legal names, tax numbers, addresses, and whom documents are for."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str) -> DetailsBody:
        """What is known of an organisation."""
        return self._connection.get(f"organisations/{organisation}/details", DetailsBody)

    def set(self, organisation: str, body: DetailsUpdate) -> DetailsBody:
        """Put it in the place of what was known."""
        return self._connection.put(f"organisations/{organisation}/details", DetailsBody, body)
