"""Long work in steps: the states of a task, and when one that failed is tried again."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum
from typing import Any
from uuid import UUID


class State(StrEnum):
    """How far a task, or a step of it, has come."""

    WAITING = "waiting"
    RUNNING = "running"
    NEEDS_A_HAND = "needs a hand"
    """It failed and is not tried again by itself; its problem says why."""
    DONE = "done"
    UNDONE = "undone"
    """It was given up: another took its place, or its effects were taken back."""


UNDER_WAY = (State.WAITING, State.RUNNING)
LEASE = timedelta(minutes=2)
"""How long a worker has a task before another may take it, unless it says that it is still there."""
_PAUSES = (timedelta(seconds=2), timedelta(seconds=10), timedelta(minutes=1), timedelta(minutes=5))


def pause_after(attempt: int) -> timedelta | None:
    """How long a task rests after its n-th attempt failed unexpectedly; None: it needs a hand.

    >>> pause_after(1), pause_after(5)
    (datetime.timedelta(seconds=2), None)
    """
    return _PAUSES[attempt - 1] if attempt <= len(_PAUSES) else None


@dataclass(frozen=True, slots=True)
class Lease:
    """A task that a worker has: only the holder of the latest ``fence`` writes for it.

    ``attempt`` counts those since it was asked for, or since a person had it tried again.
    """

    task: UUID
    fence: int
    kind: str
    subject: str
    organisation: UUID | None
    asked_by: UUID | None
    inputs: Mapping[str, Any]
    attempt: int
