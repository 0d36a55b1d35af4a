"""Why amounts are what they are."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.billing.charges import ChargeBody, ReadingBody


class Charges:
    """Why amounts are what they are."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def explain(self, charge_id: UUID) -> ChargeBody:
        """The arithmetic of a charge."""
        return self._connection.get(f"charges/{charge_id}", ChargeBody)

    def readings(self, charge_id: UUID, *, limit: int | None = None) -> list[ReadingBody]:
        """The readings that a charge was made from; all of them without ``limit``."""
        path = f"charges/{charge_id}/readings"
        if limit is not None:
            return self._connection.page(path, ReadingBody, limit=limit).items
        return self._connection.all(path, ReadingBody, limit=500)
