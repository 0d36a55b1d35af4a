"""Bodies of breaches: more is in use than a limit allows."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.values import Body, DecimalText


class BreachNote(Body):
    """What one does about a breach; read by one's own people alone."""

    note: str


class BreachBody(Body):
    """A breach: in grace (above a soft limit, for as long as that may be), open or over.

    ``crossed`` says which limit: ``limit`` or ``soft limit``. ``used`` is of ``seen_at``, ``most`` the most that was
    seen. ``giver`` is who gave the limit, null for the provider's own. ``note`` is what the caller's side said.
    """

    id: UUID
    organisation: str
    organisation_name: str
    project: str | None
    project_name: str | None
    giver: str | None
    measure: str
    unit: str
    kind: str
    crossed: str
    state: str
    limit: DecimalText
    used: DecimalText
    most: DecimalText
    opened_at: datetime
    seen_at: datetime
    grace_until: datetime | None
    closed_at: datetime | None
    note: str | None
    noted_by: str | None
    noted_at: datetime | None
