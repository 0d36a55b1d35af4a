"""Members, invitations, tokens and the record of who did what."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.permissions import Role
from gradumen.wire.access.members import (
    InvitationAccept,
    InvitationBody,
    InvitationCreate,
    JoinedBody,
    MemberBody,
    MemberUpdate,
)
from gradumen.wire.access.sessions import PasswordResetBody
from gradumen.wire.access.tokens import TokenBody, TokenCreate
from gradumen.wire.audit_entries import AuditEntryBody


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


class Invitations:
    """Offers of membership."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[InvitationBody]:
        """The open invitations to an organisation."""
        return self._connection.page(f"organisations/{organisation}/invitations", InvitationBody).items

    def create(self, organisation: str, *, email: str, role: Role) -> InvitationBody:
        """Invite one address; the link's ``secret`` is in this answer only."""
        body = InvitationCreate(email=email, role=role)
        return self._connection.post(f"organisations/{organisation}/invitations", InvitationBody, body)

    def withdraw(self, invitation_id: UUID) -> None:
        """Take an invitation back."""
        self._connection.delete(f"invitations/{invitation_id}")

    def accept(self, secret: str, *, name: str | None = None, password: str | None = None) -> JoinedBody:
        """Become a member: as who is signed in, or as a new user with name and password."""
        body = InvitationAccept(secret=secret, name=name, password=password)
        return self._connection.post("invitations/accept", JoinedBody, body)


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


class AuditEntries:
    """Who did what."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self, organisation: str, *, action: str | None = None, search: str = "", limit: int | None = None
    ) -> list[AuditEntryBody]:
        """What was done in an organisation and for it, newest first; all of it without ``limit``."""
        path = f"organisations/{organisation}/audit-entries"
        if limit is not None:
            found = self._connection.page(path, AuditEntryBody, action=action, search=search, limit=limit)
            return found.items
        return self._connection.all(path, AuditEntryBody, action=action, search=search, limit=500)
