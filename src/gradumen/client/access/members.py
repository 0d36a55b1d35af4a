"""Members."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.permissions import Role
from gradumen.wire.access.members import (
    MemberBody,
    MemberUpdate,
)
from gradumen.wire.access.sessions import PasswordResetBody


class Members:
    """Users in organisations."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[MemberBody]:
        """The members of an organisation."""
        return self._connection.page(f"organisations/{organisation}/members", MemberBody).items

    def change(
        self, organisation: str, user_id: UUID, *, role: Role | None = None, disabled: bool | None = None
    ) -> MemberBody:
        """Give another role, or let the membership rest or go on."""
        body = MemberUpdate(role=role, disabled=disabled)
        return self._connection.patch(f"organisations/{organisation}/members/{user_id}", MemberBody, body)

    def remove(self, organisation: str, user_id: UUID) -> None:
        """End a membership."""
        self._connection.delete(f"organisations/{organisation}/members/{user_id}")

    def make_password_reset(self, organisation: str, user_id: UUID) -> str:
        """The secret of a link by which the member sets a new password; it is in this answer only."""
        path = f"organisations/{organisation}/members/{user_id}/password-reset"
        return self._connection.post(path, PasswordResetBody).secret
