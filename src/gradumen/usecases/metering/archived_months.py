"""What was measured long ago is archived, on request and for the whole installation, and brought back on request."""

from datetime import date, datetime

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store import tasks
from gradumen.store.metering import archived_months as store
from gradumen.store.metering.cost_quantities import feeds_reading, read_all_again
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.usecases.tasks import ARCHIVE, KINDS, OWNERS, REMAKE, require_lease
from gradumen.wire.metering.archived_months import ArchivedMonthBody, ArchivedMonthsBody

KEPT_MONTHS = 3
"""Months before this one whose readings are never archived: rules are tried on them."""
SUBJECT = "readings"


@use_case
def get_archived_months(tx: Session, caller: Caller) -> ArchivedMonthsBody:
    """Which months of readings are archived.

    Raises:
        Forbidden: the caller is no member of the provider.
    """
    scope = load_scope(tx, caller)
    scope.require_provider(Right.READ)
    return _view(tx, scope)


def _view(tx: Session, scope: Scope) -> ArchivedMonthsBody:
    bound = store.archived_before(tx)
    task = _under_way(tx)
    return ArchivedMonthsBody(
        before=None if bound is None else Period(bound.year, bound.month).text,
        latest=_latest(scope).text,
        task=None if task is None else task.id,
        wanted=None if task is None else task.inputs["before"],
        items=[
            ArchivedMonthBody(month=each.month, archived=each.readings, packed=each.packed, in_rows=each.in_rows)
            for each in store.months_kept(tx)
        ],
    )


def _under_way(tx: Session) -> tasks.TaskRow | None:
    return tasks.of_kind_under_way(tx, [ARCHIVE])


def _latest(scope: Scope) -> Period:
    month = Period.containing(scope.now, zone_of("UTC"))
    for _ in range(KEPT_MONTHS):
        month = month.before()
    return month


@use_case
def set_archived_months(tx: Session, caller: Caller, *, before: str | None) -> ArchivedMonthsBody:
    """Archive what was measured before a month, and bring back what is archived of that and later ones, by a task.

    What is archived stays in reach of explanations and balances; its usage stays as it was made. The same again changes
    nothing.

    Raises:
        Forbidden: the caller does not manage the provider's feeds.
        Invalid: no such month, or one that is too late.
        Conflict: another one is under way, or something that usage before that month still follows from.
    """
    scope = load_scope(tx, caller)
    provider = scope.require_provider(Right.MANAGE_FEEDS)
    wanted = None if before is None else Period.parse(before)
    if wanted is not None and wanted.first_day > _latest(scope).first_day:
        raise Invalid(
            f"before '{wanted.text}' is too late: readings of the last {KEPT_MONTHS} months stay, as rules are tried "
            f"on them; take {_latest(scope).text} or earlier",
            field="before",
            value=wanted.text,
        )
    bound = store.lock_bound(tx, to_move=True)
    task = _under_way(tx)
    if task is not None and task.inputs["before"] == before:
        return _view(tx, scope)
    if task is not None:
        raise Conflict("readings are being archived or brought back; wait until that is done")
    day = None if wanted is None else wanted.first_day
    if day == bound and (day is None or not store.months_to_archive(tx, day)):
        return _view(tx, scope)
    if day is not None and (bound is None or day > bound):
        check_made(tx, day)
    subject = f"{SUBJECT} before {before}" if before else f"no {SUBJECT}"
    tasks.add_task(
        tx, ARCHIVE, subject, at=caller.at, organisation=provider, asked_by=caller.user_id, inputs={"before": before},
        counted="readings",
    )  # fmt: skip
    was, now = ({"before": None if each is None else f"{each}"} for each in (bound, day))
    record(tx, caller, "archived readings set", provider, SUBJECT, before=was, after=now)
    return _view(tx, scope)


def check_made(tx: Session, day: date) -> None:
    """All usage is made that follows from what came in of the days before one.

    Raises:
        Conflict: it is not.
    """
    if store.waits_before(tx, day):
        raise Conflict(f"usage of days before {day} is still being made; try again when that is done")
    task = tasks.of_kind_under_way(tx, [OWNERS, KINDS, REMAKE])
    if task is not None:
        raise Conflict(f"a task may still change usage before {day}: {task.kind} {task.subject}; wait until it is done")


@use_case
def fix_readings(tx: Session, *, lease: Lease) -> bool:
    """From now on what was measured before a task's day is fixed; False where something is to be brought back first.

    Whoever takes readings in at this moment is waited for, and what it brought is made usage before.

    Raises:
        Conflict: another worker has the task now; or usage of these days is still to be made.
    """
    require_lease(tx, lease)
    bound, day = store.lock_bound(tx, to_move=True), _day(lease)
    if bound is not None and (day is None or day < bound):
        return False
    if day is not None and day != bound:
        check_made(tx, day)
        store.move_bound(tx, day)
    return True


def _day(lease: Lease) -> date | None:
    before = lease.inputs["before"]
    return None if before is None else Period.parse(before).first_day


def _month_before(lease: Lease) -> Period | None:
    before = lease.inputs["before"]
    return None if before is None else Period.parse(before).before()


@use_case
def bring_back(tx: Session, *, lease: Lease, at: datetime) -> int:
    """Put a part of the archived readings back, of the month before the task's and of later ones; gives how many.

    Of the month before as well: what ends after the day belongs to days that are made again from then on. Once all are
    there 0, and from then on those months are not fixed. What changed meanwhile counts once they are made again; of
    cost files it is read now, as nobody can send the same file again.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    count = store.bring_back_part(tx, _month_before(lease))
    if not count:
        store.lock_bound(tx, to_move=True)
        store.move_bound(tx, _day(lease))
        for feed in feeds_reading(tx):
            read_all_again(tx, feed, at)
    return count


@use_case
def count_left(tx: Session, *, lease: Lease) -> int:
    """How many readings are to be moved; those of the month before the task's twice, where later ones come back."""
    day = _day(lease)
    bound = store.archived_before(tx)
    back = bound is not None and (day is None or day < bound)
    left = store.count_archived(tx, _month_before(lease)) if back else 0
    return left + (0 if day is None else store.count_to_archive(tx, day))


@use_case
def months_left(tx: Session, *, lease: Lease) -> list[Period]:
    """The months that have readings to archive."""
    day = _day(lease)
    return [] if day is None else store.months_to_archive(tx, day)


@use_case
def archive_some(tx: Session, *, lease: Lease, month: Period, after: int) -> tuple[int, int] | None:
    """Archive the readings of some resources after one; gives the last of them and how many; None without any.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    day = _day(lease)
    return None if day is None else store.archive_part(tx, month, day, after)
