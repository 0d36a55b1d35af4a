"""Long work that the service does."""

from collections.abc import Callable
from uuid import UUID

from gradumen.client.connection import Connection, ask_until
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

        def ask() -> TaskBody:
            task = self.get(task_id)
            if tell is not None:
                tell(task)
            return task

        return ask_until(ask, lambda task: task.state in ENDED, seconds)
