"""What is on record."""

from gradumen.client.connection import Connection
from gradumen.wire.audit_entries import AuditEntryBody


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
