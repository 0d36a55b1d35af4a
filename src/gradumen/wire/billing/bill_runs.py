"""Bodies of bill runs."""

from datetime import datetime
from uuid import UUID

from gradumen.wire.values import Body


class BillRunCreate(Body):
    """The period of a seller to close."""

    organisation: str
    period: str


class BillRunBody(Body):
    """A bill run in the state of its task: waiting, running, needs a hand (with a problem), done or undone."""

    id: UUID
    seller: str
    period: str
    state: str
    problem: str | None
    started_at: datetime
    finished_at: datetime | None
    drafts: int
    issued: int
