"""Tasks: taken by workers in leases, seen and tried again by people. Each function is one short transaction."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from gradumen.core.errors import Conflict, Forbidden, GradumenError, Invalid, NotFound
from gradumen.core.permissions import Right
from gradumen.core.tasks import LEASE, Lease, State, pause_after
from gradumen.store import tasks
from gradumen.store.access.members import emails_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.tasks import TaskRow, TaskStepRow
from gradumen.store.unit_of_work import Session, is_passing, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.tasks import TaskBody, TaskStepBody

BILL_RUN, ISSUE, WHAT_IF, MONTHS, USAGE_DAYS = "bill run", "issue", "what-if", "months of readings", "usage by day"
ONBOARDING, UNDO_ONBOARDING, CLOUD_LIMITS = "onboarding", "onboarding taken back", "limits in clouds"
OWNERS, KINDS, PULL = "owners by rule", "kinds by rule", "fetching of usage"
REMAKE, COST_FILE, HOSTS = "usage made again of", "cost file", "look at hosts"
ARCHIVE, OWNERSHIP_TRIAL = "archive", "trial of ownership rules"
NEEDED = {
    BILL_RUN: Right.BILL,
    ISSUE: Right.BILL,
    WHAT_IF: Right.MANAGE_CATALOGUE,
    ONBOARDING: Right.MANAGE_ORGANISATIONS,
    UNDO_ONBOARDING: Right.MANAGE_ORGANISATIONS,
    CLOUD_LIMITS: Right.MANAGE_QUOTAS,
    OWNERS: Right.MANAGE_FEEDS,
    KINDS: Right.MANAGE_FEEDS,
    PULL: Right.MANAGE_FEEDS,
    REMAKE: Right.MANAGE_FEEDS,
    COST_FILE: Right.MANAGE_FEEDS,
    HOSTS: Right.MANAGE_ORGANISATIONS,
    ARCHIVE: Right.MANAGE_FEEDS,
    OWNERSHIP_TRIAL: Right.MANAGE_FEEDS,
}
"""The right that whoever tries a task again needs at its organisation; for the others, that of an administrator."""


def problem_of(error: Exception) -> str:
    """What people read of a failure; what is inside the service stands in its log alone."""
    if isinstance(error, GradumenError):
        return error.message
    if is_passing(error):
        return "the database did not serve"
    return f"it failed inside the service ({type(error).__name__}); the service's log has more"


@use_case
def take_task(tx: Session, *, at: datetime) -> Lease | None:
    """Lease the oldest task that is due, or None."""
    lease = tasks.lease_task(tx, at)
    if lease is not None:
        tasks.end_left_steps(tx, lease, at)
    return lease


@use_case
def keep_lease(tx: Session, *, lease: Lease, at: datetime) -> bool:
    """Say that a task's worker is still there; False where another has the task."""
    return tasks.hold(tx, lease, lease_until=at + LEASE)


def require_lease(tx: Session, lease: Lease) -> None:
    """Write a task's row, as every rival does, before writing for it.

    Raises:
        Conflict: another worker has the task now.
    """
    if not tasks.hold(tx, lease):
        raise Conflict(f"another worker has task {lease.task}")


@use_case
def tell_progress(tx: Session, *, lease: Lease, made: int, total: int | None, counted: str | None) -> None:
    """Say how far a task is; ``counted`` where something else is counted now."""
    what = {} if counted is None else {"counted": counted}
    tasks.hold(tx, lease, made=made, total=total, **what)


@use_case
def begin_step(tx: Session, *, lease: Lease, name: str, inputs: Mapping[str, Any], at: datetime) -> int:
    """Note that a step begins; gives its position.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    return tasks.begin_step(tx, lease, name, inputs, at)


@use_case
def end_step(
    tx: Session,
    *,
    lease: Lease,
    position: int,
    result: Mapping[str, Any] | None = None,
    problem: str | None = None,
    log: str = "",
    at: datetime,
) -> None:
    """Note what a step came to; with a problem it needs a hand.

    Raises:
        Conflict: another worker has the task now, for whom this step is undone.
    """
    require_lease(tx, lease)
    state = State.DONE if problem is None else State.NEEDS_A_HAND
    tasks.end_step(tx, lease, position, state=state, result=result, log=log or problem or "", at=at)


@use_case
def finish_task(tx: Session, *, lease: Lease, at: datetime) -> None:
    """A task is done; nothing happens where another worker has it."""
    tasks.hold(tx, lease, state=State.DONE, problem=None, finished_at=at, lease_until=None)


@use_case
def fail_task(tx: Session, *, lease: Lease, problem: str, again: bool, at: datetime) -> None:
    """An attempt failed: it is made again after a pause, or a person must look at it.

    Args:
        again: whether it may go better another time; what was refused does not.
    """
    pause = pause_after(lease.attempt) if again else None
    if pause is not None:
        tasks.hold(tx, lease, state=State.WAITING, problem=problem[:1000], not_before=at + pause, lease_until=None)
        return
    tasks.hold(tx, lease, state=State.NEEDS_A_HAND, problem=problem[:1000], finished_at=at, lease_until=None)


@use_case
def schedule_day(tx: Session, *, at: datetime) -> None:
    """Put what the service does by itself every day on the list."""
    tasks.add_once(tx, MONTHS, f"{at:%Y-%m-%d}", at=at)


@use_case
def list_tasks(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    state: str | None,
    kind: str | None,
    after: str | None,
    limit: int,
) -> list[TaskBody]:
    """The tasks of an organisation, the last asked first, for its own members; the provider has the service's too.

    What another does for it stands among them, as far as it concerns it.

    Args:
        state: one of the states, or ``open`` for what waits, runs or needs a hand.
        after: ``time|id`` of the last one seen.

    Raises:
        Forbidden: the caller is no member of it.
        Invalid: no such state, or ``after`` is no place in this list.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    rows = tasks.page_of_tasks(
        tx,
        [owner.id],
        own=owner.id not in scope.tree.parents,
        concerned=True,
        states=_states(state),
        kind=kind,
        after=moment_place(after),
        limit=limit,
    )
    return [_seen(scope, row, body) for row, body in zip(rows, task_bodies(tx, rows), strict=True)]


def _states(state: str | None) -> list[str]:
    if state is None:
        return []
    if state == "open":
        return [State.WAITING, State.RUNNING, State.NEEDS_A_HAND]
    if state not in list(State):
        known = ", ".join(State)
        raise Invalid(f"state '{state[:30]}' is none of: open, {known}", field="state", value=state)
    return [state]


@use_case
def read_task(tx: Session, caller: Caller, *, task_id: UUID) -> TaskBody:
    """A task with the steps of all its attempts.

    Raises:
        NotFound: not there, or of an organisation that the caller is no member of.
    """
    scope = load_scope(tx, caller)
    row = _get(tx, scope, task_id)
    return _seen(scope, row, with_steps(tx, task_body(tx, row)))


@use_case
def retry_task(tx: Session, caller: Caller, *, task_id: UUID) -> TaskBody:
    """Try a task again that needs a hand, or that rests after a failed attempt, at once. Safe to repeat.

    Raises:
        Forbidden: the caller sees it, but may not do what it does.
        Conflict: it is done, or another took its place.
    """
    scope = load_scope(tx, caller)
    row = _get(tx, scope, task_id, lock=True)
    owner = _owner(scope, row)
    right = NEEDED.get(row.kind, Right.MANAGE_MEMBERS)
    if owner is None or not scope.is_member(owner, right):
        raise Forbidden(right=right, organisation="the organisation that this is done for")
    if row.state in (State.DONE, State.UNDONE):
        raise Conflict(f"this task is {row.state}; there is nothing to try again")
    if row.state != State.RUNNING:
        if row.state == State.NEEDS_A_HAND:
            record(tx, caller, "task tried again", owner, f"{row.kind} {row.subject}")
            row.attempts = 0
        row.state, row.problem, row.finished_at, row.not_before = State.WAITING, None, None, caller.at
    tx.flush()
    return task_body(tx, row)


def _owner(scope: Scope, row: TaskRow) -> UUID | None:
    """Whose a task is; what the service does by itself is the provider's."""
    if row.organisation_id is not None or not scope.caller.roles:
        return row.organisation_id
    return scope.tree.chain(next(iter(scope.caller.roles)))[-1]


def _get(tx: Session, scope: Scope, task_id: UUID, *, lock: bool = False) -> TaskRow:
    row = tasks.find_task(tx, task_id, lock=lock)
    if row is None or not {_owner(scope, row), row.concerns_id} & scope.members_of():
        raise NotFound("task", task_id)
    return row


LOOKED_AFTER = "your seller looks after it"


def _seen(scope: Scope, row: TaskRow, body: TaskBody) -> TaskBody:
    """A task as the caller sees it: for whom it is done is told how far it is, in our words alone."""
    if _owner(scope, row) in scope.members_of():
        return body
    steps = [each.model_copy(update={"inputs": {}, "result": None, "log": ""}) for each in body.steps]
    problem = LOOKED_AFTER if body.problem else None
    return body.model_copy(update={"problem": problem, "asked_by": None, "steps": steps})


def task_body(tx: Session, row: TaskRow) -> TaskBody:
    """A task as it is seen, without its steps."""
    return task_bodies(tx, [row])[0]


def with_steps(tx: Session, body: TaskBody) -> TaskBody:
    """A task with its steps, of all attempts."""
    return body.model_copy(update={"steps": [_step(each) for each in tasks.steps_of(tx, body.id)]})


def task_bodies(tx: Session, rows: Sequence[TaskRow]) -> list[TaskBody]:
    """Tasks as they are seen, without their steps."""
    names = organisations_by_id(tx, {row.organisation_id for row in rows if row.organisation_id})
    users = emails_of(tx, {row.asked_by for row in rows if row.asked_by})
    return [
        TaskBody(
            id=row.id,
            organisation=names[row.organisation_id].slug if row.organisation_id else None,
            kind=row.kind,
            subject=row.subject,
            state=row.state,
            problem=row.problem,
            made=row.made,
            total=row.total,
            counted=row.counted,
            attempts=row.fence,
            not_before=row.not_before,
            asked_by=users[row.asked_by] if row.asked_by else None,
            asked_at=row.asked_at,
            finished_at=row.finished_at,
            steps=[],
        )
        for row in rows
    ]


def _step(row: TaskStepRow) -> TaskStepBody:
    return TaskStepBody(
        attempt=row.attempt,
        name=row.name,
        state=row.state,
        inputs=row.inputs,
        result=row.result,
        log=row.log,
        started_at=row.started_at,
        finished_at=row.finished_at,
    )
