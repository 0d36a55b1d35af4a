"""Moves under other sellers."""

import builtins
from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.moves import MoveBody, MoveCreate


class Moves:
    """Organisations that buy from another seller from a day on."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> builtins.list[MoveBody]:
        """The moves of an organisation, the latest first."""
        return self._connection.all(f"organisations/{organisation}/moves", MoveBody)

    def plan(self, organisation: str, to: str, starts_on: date, reason: str, *, check: bool = False) -> MoveBody:
        """Plan one from a day on; with ``check`` only see what it would do, and what stands against it."""
        body = MoveCreate(to=to, starts_on=starts_on, reason=reason, check=check)
        return self._connection.post(f"organisations/{organisation}/moves", MoveBody, body)

    def withdraw(self, organisation: str, move: UUID) -> MoveBody:
        """Take a planned one back."""
        return self._connection.post(f"organisations/{organisation}/moves/{move}/withdraw", MoveBody)
