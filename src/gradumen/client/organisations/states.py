"""The states of organisations."""

from datetime import date

from gradumen.client.connection import Connection
from gradumen.wire.organisations.states import StateCreate, StatesBody


class States:
    """What organisations are, were and will be."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> StatesBody:
        """What an organisation is, was and will be, and what may follow."""
        return self._connection.get(f"organisations/{organisation}/states", StatesBody)

    def change(
        self, organisation: str, state: str, *, starts_on: date | None = None, reason: str | None = None
    ) -> StatesBody:
        """Bring it into another state, now or from a day on."""
        body = StateCreate.model_validate({"state": state, "starts_on": starts_on, "reason": reason})
        return self._connection.post(f"organisations/{organisation}/states", StatesBody, body)

    def withdraw_planned(self, organisation: str) -> None:
        """Forget what is planned."""
        self._connection.delete(f"organisations/{organisation}/states/planned")
