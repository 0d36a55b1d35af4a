"""Bodies of bill runs."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.values import Body


class BillRunCreate(Body):
    """The period of a seller to close; a ``reason`` where it is closed though something may still come by feeds."""

    organisation: str
    period: str
    reason: str | None = None


class BillRunBody(Body):
    """A bill run in the state of its task: waiting, running, needs a hand (with a problem), done or undone.

    ``reason`` is why it was closed though not all was here by its feeds.
    """

    id: UUID
    seller: str
    period: str
    state: str
    problem: str | None
    started_at: datetime
    finished_at: datetime | None
    reason: str | None
    drafts: int
    issued: int
