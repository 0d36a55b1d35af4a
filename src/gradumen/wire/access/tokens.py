"""Bodies of tokens."""

from datetime import datetime
from uuid import UUID

from gradumen.core.permissions import Role
from gradumen.wire.values import Body, WholeNumber


class TokenCreate(Body):
    """A new token for programs, with a role in one organisation."""

    organisation: str
    name: str
    role: Role
    days: WholeNumber = 90


class TokenBody(Body):
    """A token; ``secret`` is there only in the answer that made it."""

    id: UUID
    name: str
    organisation: str
    role: Role
    expires_at: datetime
    revoked: bool
    secret: str | None = None
