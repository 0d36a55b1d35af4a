"""Programs that were planned with an invitation."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.access.programs import ProgramBody
from gradumen.wire.access.tokens import TokenBody


class Programs:
    """Programs whose tokens are to be collected."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self) -> list[ProgramBody]:
        """Those of the caller."""
        return self._connection.page("programs", ProgramBody).items

    def collect_token(self, program: UUID) -> TokenBody:
        """Make the token of one, once; its ``secret`` is in this answer only."""
        return self._connection.post(f"programs/{program}/token", TokenBody)

    def drop(self, program: UUID) -> None:
        """Give one up."""
        self._connection.delete(f"programs/{program}")
