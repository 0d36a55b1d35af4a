"""Long work that the service does."""

import time
from collections.abc import Callable
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.tasks import TaskBody

ENDED = ("done", "needs a hand", "undone")


class Tasks:
    """Tasks: seen, followed, tried again."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self, organisation: str, *, state: str | None = None, kind: str | None = None, limit: int = 100
    ) -> list[TaskBody]:
        """An organisation's tasks, the last asked first, without steps; ``state`` may be ``open``."""
        path = f"organisations/{organisation}/tasks"
        return self._connection.page(path, TaskBody, state=state, kind=kind, limit=limit).items

    def get(self, task_id: UUID) -> TaskBody:
        """One with its steps."""
        return self._connection.get(f"tasks/{task_id}", TaskBody)

    def retry(self, task_id: UUID) -> TaskBody:
        """Try one again that needs a hand; safe to repeat."""
        return self._connection.post(f"tasks/{task_id}/retry", TaskBody)

    def follow(
        self, task_id: UUID, *, seconds: float = 3600, tell: Callable[[TaskBody], None] | None = None
    ) -> TaskBody:
        """Wait until a task is done, undone or needs a hand, or the time is over."""
        deadline, pause = time.monotonic() + seconds, 0.02
        while True:
            task = self.get(task_id)
            if tell is not None:
                tell(task)
            if task.state in ENDED or time.monotonic() > deadline:
                return task
            time.sleep(pause)
            pause = min(2 * pause, 0.5)
