"""Services to which members' ordering is held."""

from collections.abc import Sequence
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.access.members import MemberBody
from gradumen.wire.catalogue.member_services import MemberServices as Services


class MemberServices:
    """Of which services members order and sell plans."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def set(self, organisation: str, user_id: UUID, services: Sequence[str] | None) -> MemberBody:
        """Hold a member to some services; None is all."""
        body = Services(services=None if services is None else list(services))
        return self._connection.put(f"organisations/{organisation}/members/{user_id}/services", MemberBody, body)

    def set_invited(self, invitation_id: UUID, services: Sequence[str] | None) -> None:
        """The same for whoever accepts an invitation."""
        body = Services(services=None if services is None else list(services))
        self._connection.set(f"invitations/{invitation_id}/services", body)
