"""Tokens of programs."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.permissions import Role
from gradumen.wire.access.tokens import TokenBody, TokenCreate


class Tokens:
    """Tokens of programs."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self) -> list[TokenBody]:
        """The caller's tokens."""
        return self._connection.page("tokens", TokenBody).items

    def create(self, organisation: str, *, name: str, role: Role, days: int = 90) -> TokenBody:
        """Make a token; its ``secret`` is in this answer only."""
        body = TokenCreate(organisation=organisation, name=name, role=role, days=days)
        return self._connection.post("tokens", TokenBody, body)

    def revoke(self, token_id: UUID) -> None:
        """Withdraw a token."""
        self._connection.delete(f"tokens/{token_id}")
