"""Bodies of the record of who did what."""

from datetime import datetime
from typing import Any
from uuid import UUID

from gradumen.wire.values import Body


class AuditEntryBody(Body):
    """One act: ``organisation`` acted, for ``concerns``.

    ``user``, ``token`` and ``address`` are told to the organisation that acted only.
    """

    id: UUID
    at: datetime
    organisation: str
    concerns: str | None
    user: str
    token: str | None
    address: str
    action: str
    subject: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
