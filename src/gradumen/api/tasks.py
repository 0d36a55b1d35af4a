"""Routes of tasks: long work, seen and tried again."""

from typing import Annotated
from uuid import UUID

from fastapi import Query

from gradumen.api.calls import CallerHere, Uow, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.usecases import tasks
from gradumen.wire.tasks import TaskBody
from gradumen.wire.values import Page

router = Router(tags=["tasks"])


@router.get("/organisations/{organisation}/tasks")
def list_tasks(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    state: str | None = None,
    kind: str | None = None,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[TaskBody]:
    """An organisation's tasks, the last asked first; ``state`` open: what waits, runs or needs a hand."""
    size = page_limit(limit)
    found = tasks.list_tasks(
        uow, caller, organisation=organisation, state=state, kind=kind, after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: f"{last.asked_at.isoformat()}|{last.id}")


@router.get("/tasks/{task_id}")
def read_task(task_id: UUID, uow: Uow, caller: CallerHere) -> TaskBody:
    """One task with its steps."""
    return tasks.read_task(uow, caller, task_id=task_id)


@router.post("/tasks/{task_id}/retry")
def retry_task(task_id: UUID, uow: Uow, caller: CallerHere) -> TaskBody:
    """Try a task again that needs a hand, or that rests, at once. Safe to repeat."""
    return tasks.retry_task(uow, caller, task_id=task_id)
