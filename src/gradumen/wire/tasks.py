"""Bodies of tasks."""

from datetime import datetime
from typing import Any
from uuid import UUID

from gradumen.wire.values import Body


class TaskStepBody(Body):
    """A step of an attempt: what it began from, what it came to, what it said."""

    attempt: int
    name: str
    state: str
    inputs: dict[str, Any]
    result: dict[str, Any] | None
    log: str
    started_at: datetime
    finished_at: datetime | None


class TaskBody(Body):
    """Long work: waiting, running, needs a hand (with a problem), done or undone.

    ``made`` of ``total`` (null: not known) is counted in what ``counted`` names; ``organisation`` and ``asked_by`` are
    null for what the service does by itself. While it waits after a failed attempt, ``not_before`` is its next one.
    Lists leave ``steps`` empty.
    """

    id: UUID
    organisation: str | None
    kind: str
    subject: str
    state: str
    problem: str | None
    made: int
    total: int | None
    counted: str
    attempts: int
    not_before: datetime
    asked_by: str | None
    asked_at: datetime
    finished_at: datetime | None
    steps: list[TaskStepBody]
