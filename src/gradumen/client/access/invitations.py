"""Invitations to an organisation."""

from collections.abc import Sequence
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.permissions import Role
from gradumen.wire.access.members import (
    InvitationAccept,
    InvitationBody,
    InvitationCreate,
    JoinedBody,
)
from gradumen.wire.access.programs import ProgramPlan


class Invitations:
    """Offers of membership."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[InvitationBody]:
        """The open invitations to an organisation."""
        return self._connection.page(f"organisations/{organisation}/invitations", InvitationBody).items

    def create(
        self, organisation: str, *, email: str, role: Role, programs: Sequence[ProgramPlan] = ()
    ) -> InvitationBody:
        """Invite one address; the link's ``secret`` is in this answer only."""
        body = InvitationCreate(email=email, role=role, programs=[*programs])
        return self._connection.post(f"organisations/{organisation}/invitations", InvitationBody, body)

    def withdraw(self, invitation_id: UUID) -> None:
        """Take an invitation back."""
        self._connection.delete(f"invitations/{invitation_id}")

    def accept(self, secret: str, *, name: str | None = None, password: str | None = None) -> JoinedBody:
        """Become a member: as who is signed in, or as a new user with name and password."""
        body = InvitationAccept(secret=secret, name=name, password=password)
        return self._connection.post("invitations/accept", JoinedBody, body)
