"""Breaches of limits by metered use."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.metering.breaches import BreachBody, BreachNote


class Breaches:
    """Where more is in use than a limit allows."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, *, state: str = "open") -> list[BreachBody]:
        """Those of an organisation and of the limits that it gave; ``state`` is open or all."""
        return self._connection.all(f"organisations/{organisation}/breaches", BreachBody, state=state)

    def note(self, breach: UUID, note: str) -> BreachBody:
        """Say what one's side does about it."""
        return self._connection.put(f"breaches/{breach}/note", BreachBody, BreachNote(note=note))
