"""Tasks and their steps: tables and queries. Times of leases and rests are the real clock's."""

from collections.abc import Collection, Mapping
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import (
    JSON,
    BigInteger,
    BindParameter,
    ColumnElement,
    ForeignKey,
    Index,
    SmallInteger,
    String,
    and_,
    delete,
    func,
    or_,
    select,
    update,
)
from sqlalchemy.dialects.mysql import MEDIUMTEXT, insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.tasks import LEASE, UNDER_WAY, Lease, State
from gradumen.store.columns import Base, Moment, ascii_text


class TaskRow(Base):
    """Long work: whose, of what kind, on what, how far, and who has it.

    ``organisation_id`` and ``asked_by`` are None for what the service does by itself; ``once`` makes a scheduled task
    exist once a day. ``fence`` counts leases, the latest holder may write; ``attempts`` counts those since it was
    asked for, or since a person had it tried again.
    """

    __tablename__ = "tasks"
    __table_args__ = (
        Index("ix_tasks_state_not_before", "state", "not_before"),
        Index("ix_tasks_organisation_id_asked_at", "organisation_id", "asked_at"),
        Index("ix_tasks_concerns_id_asked_at", "concerns_id", "asked_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    kind: Mapped[str] = mapped_column(ascii_text(40))
    subject: Mapped[str] = mapped_column(String(190))
    once: Mapped[str | None] = mapped_column(ascii_text(80), unique=True)
    state: Mapped[str] = mapped_column(ascii_text(16))
    problem: Mapped[str | None] = mapped_column(String(1000))
    inputs: Mapped[dict[str, Any]] = mapped_column(JSON)
    made: Mapped[int] = mapped_column(BigInteger)
    total: Mapped[int | None] = mapped_column(BigInteger)
    counted: Mapped[str] = mapped_column(String(40))
    attempts: Mapped[int] = mapped_column(SmallInteger)
    not_before: Mapped[datetime] = mapped_column(Moment)
    lease_until: Mapped[datetime | None] = mapped_column(Moment)
    fence: Mapped[int]
    asked_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    asked_at: Mapped[datetime] = mapped_column(Moment)
    finished_at: Mapped[datetime | None] = mapped_column(Moment)
    concerns_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    """For whom it is done, who is told how far it is and no more."""


class TaskStepRow(Base):
    """One step of one attempt of a task, with what it began from, what it came to and what it said."""

    __tablename__ = "task_steps"

    task_id: Mapped[UUID] = mapped_column(ForeignKey("tasks.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    attempt: Mapped[int] = mapped_column(SmallInteger)
    name: Mapped[str] = mapped_column(String(120))
    state: Mapped[str] = mapped_column(ascii_text(16))
    inputs: Mapped[dict[str, Any]] = mapped_column(JSON)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    log: Mapped[str] = mapped_column(MEDIUMTEXT)
    started_at: Mapped[datetime] = mapped_column(Moment)
    finished_at: Mapped[datetime | None] = mapped_column(Moment)


def add_task(
    tx: Session,
    kind: str,
    subject: str,
    *,
    at: datetime,
    organisation: UUID | None = None,
    asked_by: UUID | None = None,
    inputs: Mapping[str, Any] | None = None,
    counted: str = "",
    total: int | None = None,
    concerns: UUID | None = None,
) -> TaskRow:
    """Put a task on the list; members of the organisation that it ``concerns`` see how far it is."""
    row = TaskRow(
        id=uuid4(),
        organisation_id=organisation,
        kind=kind,
        subject=subject[:190],
        once=None,
        state=State.WAITING,
        problem=None,
        inputs=dict(inputs or {}),
        made=0,
        total=total,
        counted=counted,
        attempts=0,
        not_before=at,
        lease_until=None,
        fence=0,
        asked_by=asked_by,
        asked_at=at,
        finished_at=None,
        concerns_id=concerns,
    )
    tx.add(row)
    tx.flush()
    return row


def add_once(tx: Session, kind: str, subject: str, *, at: datetime) -> None:
    """Put a task that the service does by itself on the list, unless it was there already."""
    fresh = insert(TaskRow).prefix_with("IGNORE")
    tx.execute(
        fresh.values(
            id=uuid4(),
            kind=kind,
            subject=subject,
            once=f"{kind} {subject}",
            state=State.WAITING,
            inputs={},
            made=0,
            counted="",
            attempts=0,
            not_before=at,
            fence=0,
            asked_at=at,
        )
    )


def is_due(at: datetime | BindParameter[datetime]) -> ColumnElement[bool]:
    """Whether a task waits and does not rest, or its worker is gone."""
    return or_(
        and_(TaskRow.state == State.WAITING, TaskRow.not_before <= at),
        and_(TaskRow.state == State.RUNNING, TaskRow.lease_until < at),
    )


def lease_task(tx: Session, at: datetime) -> Lease | None:
    """Take the oldest task that is due; None is due: None."""
    row = tx.scalars(
        select(TaskRow).where(is_due(at)).order_by(TaskRow.asked_at).limit(1).with_for_update(skip_locked=True)
    ).first()
    if row is None:
        return None
    row.state, row.lease_until = State.RUNNING, at + LEASE
    row.fence, row.attempts = row.fence + 1, row.attempts + 1
    tx.flush()
    return Lease(row.id, row.fence, row.kind, row.subject, row.organisation_id, row.asked_by, row.inputs, row.attempts)


def _held(lease: Lease) -> ColumnElement[bool]:
    return and_(TaskRow.id == lease.task, TaskRow.fence == lease.fence, TaskRow.state == State.RUNNING)


def hold(tx: Session, lease: Lease, **values: Any) -> bool:
    """Write a task's row as the holder of its lease; False where another has it by now, who then waits for us."""
    found = tx.execute(update(TaskRow).where(_held(lease)).values(**(values or {"fence": lease.fence})))
    return bool(found.rowcount)  # type: ignore[attr-defined]  # an UPDATE gives a cursor result, of the rows it found


def release_leases(tx: Session, at: datetime) -> None:
    """Let every lease go, at the start of the only service: nobody can hold one."""
    tx.execute(update(TaskRow).where(TaskRow.state == State.RUNNING).values(lease_until=at))


def begin_step(tx: Session, lease: Lease, name: str, inputs: Mapping[str, Any], at: datetime) -> int:
    """Note that a step begins; gives its position. What an earlier attempt left running is over."""
    last = tx.scalar(select(func.max(TaskStepRow.position)).where(TaskStepRow.task_id == lease.task)) or 0
    tx.add(
        TaskStepRow(
            task_id=lease.task,
            position=last + 1,
            attempt=lease.fence,
            name=name,
            state=State.RUNNING,
            inputs=dict(inputs),
            result=None,
            log="",
            started_at=at,
            finished_at=None,
        )
    )
    return last + 1


def end_step(
    tx: Session, lease: Lease, position: int, *, state: State, result: Mapping[str, Any] | None, log: str, at: datetime
) -> None:
    """Note what a step came to."""
    row = tx.get_one(TaskStepRow, (lease.task, position))
    row.state, row.result, row.log, row.finished_at = state, dict(result) if result else None, log, at


def end_left_steps(tx: Session, lease: Lease, at: datetime) -> None:
    """Steps of earlier attempts whose worker is gone did not end; say so."""
    tx.execute(
        update(TaskStepRow)
        .where(
            TaskStepRow.task_id == lease.task,
            TaskStepRow.attempt < lease.fence,
            TaskStepRow.state == State.RUNNING,
        )
        .values(state=State.UNDONE, log="its worker is gone; tried again", finished_at=at)
    )


def end_task(tx: Session, task: UUID, at: datetime) -> None:
    """Another takes a task's place: who has it writes nothing for it any more."""
    values = {"state": State.UNDONE, "finished_at": at, "lease_until": None, "fence": TaskRow.fence + 1}
    tx.execute(update(TaskRow).where(TaskRow.id == task).values(**values))


def drop_task(tx: Session, task: UUID) -> None:
    """Forget a task that is over, with its steps."""
    tx.execute(delete(TaskRow).where(TaskRow.id == task, TaskRow.state.not_in(UNDER_WAY)))


def drop_done(tx: Session, kinds: Collection[str], before: datetime, limit: int) -> int:
    """Forget so many tasks of some kinds at most that were done before a moment, with their steps; gives how many."""
    row = TaskRow
    over = row.state.in_((State.DONE, State.UNDONE)), row.not_before < before, row.finished_at < before
    done = tx.execute(delete(row).where(row.kind.in_(kinds), *over).with_dialect_options(mysql_limit=limit))
    return int(getattr(done, "rowcount", 0))


def find_task(tx: Session, task: UUID, *, lock: bool = False) -> TaskRow | None:
    """A task by its id."""
    return tx.get(TaskRow, task, with_for_update=lock or None, populate_existing=True)


def tasks_by_id(tx: Session, tasks: Collection[UUID]) -> list[TaskRow]:
    """Tasks by their ids."""
    return list(tx.scalars(select(TaskRow).where(TaskRow.id.in_(tasks)))) if tasks else []


def steps_of(tx: Session, task: UUID) -> list[TaskStepRow]:
    """A task's steps, of all attempts, in the order in which they began."""
    query = select(TaskStepRow).where(TaskStepRow.task_id == task).order_by(TaskStepRow.position)
    return list(tx.scalars(query))


def page_of_tasks(
    tx: Session,
    organisations: Collection[UUID],
    *,
    own: bool,
    concerned: bool = False,
    states: Collection[str],
    kind: str | None,
    after: tuple[datetime, UUID] | None,
    limit: int,
) -> list[TaskRow]:
    """Tasks of organisations, the last asked first.

    Args:
        own: those of the service itself too.
        concerned: those that are done for them too.
    """
    whose: list[ColumnElement[bool]] = [TaskRow.organisation_id.in_(organisations)]
    whose += [TaskRow.organisation_id.is_(None)] if own else []
    whose += [TaskRow.concerns_id.in_(organisations)] if concerned else []
    query = select(TaskRow).where(or_(*whose))
    if states:
        query = query.where(TaskRow.state.in_(states))
    if kind is not None:
        query = query.where(TaskRow.kind == kind)
    if after is not None:
        at, identity = after
        query = query.where(or_(TaskRow.asked_at < at, and_(TaskRow.asked_at == at, TaskRow.id > identity)))
    return list(tx.scalars(query.order_by(TaskRow.asked_at.desc(), TaskRow.id).limit(limit)))


def find_under_way(tx: Session, kind: str, organisation: UUID, subject: str) -> UUID | None:
    """A task of a kind and subject that waits or runs."""
    query = select(TaskRow.id).where(
        TaskRow.kind == kind,
        TaskRow.organisation_id == organisation,
        TaskRow.subject == subject,
        TaskRow.state.in_(UNDER_WAY),
    )
    return tx.scalars(query.order_by(TaskRow.asked_at).limit(1)).first()


def of_kind_under_way(tx: Session, kinds: Collection[str]) -> TaskRow | None:
    """The oldest task of some kinds that waits or runs, whoever's it is."""
    query = select(TaskRow).where(TaskRow.kind.in_(kinds), TaskRow.state.in_(UNDER_WAY))
    return tx.scalars(query.order_by(TaskRow.asked_at, TaskRow.id).limit(1)).first()


def find_waiting(tx: Session, kind: str, organisation: UUID, concerns: UUID) -> UUID | None:
    """A task of a kind for somebody that nobody has begun yet; whoever begins it waits for this transaction."""
    query = select(TaskRow.id).where(
        TaskRow.concerns_id == concerns,
        TaskRow.kind == kind,
        TaskRow.organisation_id == organisation,
        TaskRow.state == State.WAITING,
    )
    return tx.scalars(query.limit(1).with_for_update()).first()


def give_up(tx: Session, kind: str, organisation: UUID, subject: str) -> None:
    """What needs a hand on the same subject is undone: another takes its place."""
    tx.execute(
        update(TaskRow)
        .where(
            TaskRow.kind == kind,
            TaskRow.organisation_id == organisation,
            TaskRow.subject == subject,
            TaskRow.state == State.NEEDS_A_HAND,
        )
        .values(state=State.UNDONE)
    )


def states_of(tx: Session, tasks: Collection[UUID]) -> dict[UUID, tuple[str, str | None]]:
    """State and problem of tasks."""
    rows = tx.execute(select(TaskRow.id, TaskRow.state, TaskRow.problem).where(TaskRow.id.in_(tasks)))
    return {task: (state, problem) for task, state, problem in rows}
