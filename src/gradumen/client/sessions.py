"""Members, tokens and the business clock."""

from datetime import datetime
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.permissions import Role
from gradumen.wire.clock import ClockBody, ClockUpdate
from gradumen.wire.sessions import MemberBody, MemberCreate, TokenBody, TokenCreate


class Members:
    """Users in organisations."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[MemberBody]:
        """The members of an organisation."""
        return self._connection.page(f"organisations/{organisation}/members", MemberBody).items

    def add(
        self, organisation: str, *, email: str, name: str, password: str, role: Role, key: str | None = None
    ) -> MemberBody:
        """Add a new user."""
        body = MemberCreate(email=email, name=name, password=password, role=role)
        return self._connection.post(f"organisations/{organisation}/members", MemberBody, body, key=key)


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


class Clock:
    """The business clock."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def read(self) -> ClockBody:
        """The business time."""
        return self._connection.get("clock", ClockBody)

    def set(self, to: datetime | None, *, held: bool = False) -> ClockBody:
        """Move the business clock, where the settings allow it."""
        return self._connection.put("clock", ClockBody, ClockUpdate(to=to, held=held))
