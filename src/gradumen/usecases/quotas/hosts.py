"""Hosts of clouds: looked at every hour, kept day by day, and shown to the people of who registered the cloud."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.core.permissions import Right
from gradumen.core.quotas.hosts import MEASURED, WHOLE, Stock, together
from gradumen.core.tasks import UNDER_WAY, Lease
from gradumen.store import tasks as store_tasks
from gradumen.store.organisations.clouds import CloudRow, find_cloud
from gradumen.store.organisations.sites import sites_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas import hosts as store
from gradumen.store.quotas.hosts import HostDayRow, HostLookRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.organisations.clouds import MANAGES, Reaching, reaching
from gradumen.usecases.scope import Caller, Scope, business_now, load_scope
from gradumen.usecases.tasks import HOSTS, require_lease, task_body
from gradumen.wire.quotas.hosts import HostBody, HostDayBody, HostsBody
from gradumen.wire.tasks import TaskBody

EVERY, EVERY_SILENT, RETRIED = timedelta(hours=1), timedelta(days=1), timedelta(minutes=10)
"""Between two looks: at one that tells, at one that does not, and after none was answered."""
MOST_AT_ONCE = 20
DAY = timedelta(days=1)
MOST_DAYS = 400


@dataclass(frozen=True, slots=True)
class Looked:
    """A cloud to look at: its name, and what it is reached by."""

    name: str
    reaching: Reaching


@use_case
def list_hosts(tx: Session, caller: Caller, *, cloud: UUID, search: str, after: str | None, limit: int) -> HostsBody:
    """The hosts of a cloud as they were at the last look, by name, at most ``limit`` after one.

    Raises:
        NotFound: there is no such cloud of the caller's.
        Invalid: ``after`` is no place in this list.
    """
    scope = load_scope(tx, caller)
    row = _own(tx, scope, cloud)
    look = store.find_look(tx, row.id)
    at = look.looked_at if look else None
    place = _place(after)
    whole, rows = [], []
    if look is not None and at is not None:
        whole = store.told_at(tx, row.id, at.date(), look.look)
        rows = store.page_of_hosts(
            tx, row.id, at.date(), look.look, search=search.strip(), after=place, limit=limit + 1
        )
    sites = sites_by_id(tx, {row.site_id} if row.site_id else set())
    return HostsBody(
        cloud=row.id,
        cloud_name=row.name,
        site_name=sites[row.site_id].name if row.site_id else None,
        tells=look.tells if look else None,
        looked_at=at,
        next_at=look.next_at if look and row.retired_at is None else None,
        problem=look.problem if look else None,
        failing_since=look.failing_since if look else None,
        together=[_body(each) for each in whole],
        items=[_body(each) for each in rows[:limit]],
        next=_written(rows[limit - 1]) if len(rows) > limit else None,
    )


def _written(row: HostDayRow) -> str:
    return f"{row.resource}|{row.host}"


def _place(after: str | None) -> tuple[str, str] | None:
    if after is None:
        return None
    resource, bar, host = after.partition("|")
    if not bar:
        raise Invalid(
            f"after '{after[:60]}' is no place in this list; take it from the page before", field="after", value=after
        )
    return host, resource


def _body(row: HostDayRow) -> HostBody:
    return HostBody(
        host=row.host,
        resource=row.resource,
        unit=MEASURED.get(row.resource, ""),
        hosts=row.hosts,
        total=row.total,
        reserved=row.reserved,
        factor=row.factor,
        capacity=row.capacity,
        used=row.used,
        free=add([row.capacity, -row.used]),
    )


@use_case
def list_host_days(
    tx: Session, caller: Caller, *, cloud: UUID, host: str | None, first: date | None, end: date | None
) -> list[HostDayBody]:
    """What a host of a cloud, or all together, had on each day, from one until before another; the last 30 unless said.

    Raises:
        NotFound: there is no such cloud of the caller's.
        Invalid: days the wrong way round, or more than 400 of them.
    """
    scope = load_scope(tx, caller)
    row = _own(tx, scope, cloud)
    last = end or scope.now.date() + DAY
    begins = first or last - 30 * DAY
    check_days(begins, last)
    return [_day(each) for each in store.days_of(tx, [row.id], host or WHOLE, begins, last)]


def check_days(first: date, end: date) -> None:
    """Check days that are asked for.

    Raises:
        Invalid: they are the wrong way round, or too many.
    """
    if not first < end <= first + MOST_DAYS * DAY:
        raise Invalid(
            f"days are asked for from one until before a later one, at most {MOST_DAYS}; got {first} until {end}",
            field="end",
            value=f"{end}",
        )


def _day(row: HostDayRow) -> HostDayBody:
    of = _body(row).model_dump(exclude={"host"})
    return HostDayBody(day=row.day, used_least=row.used_least, used_most=row.used_most, looks=row.looks, **of)


def _own(tx: Session, scope: Scope, cloud: UUID, right: Right = Right.READ) -> CloudRow:
    """A cloud, retired or not, of an organisation whose people the caller is of.

    Raises:
        NotFound: there is none, or the caller is no member of its owner.
        Forbidden: the caller lacks the right there.
    """
    row = find_cloud(tx, cloud)
    if row is None or not scope.is_member(row.organisation_id):
        raise NotFound("cloud", cloud)
    scope.require_member(right, tx.get_one(OrganisationRow, row.organisation_id))
    return row


@use_case
def look_at_hosts(tx: Session, caller: Caller, *, cloud: UUID) -> TaskBody:
    """Look at the hosts of a cloud at once. A look that is under way is returned instead of a second one.

    Raises:
        NotFound: there is no such cloud of the caller's.
        Forbidden: the caller does not manage organisations there.
        Conflict: it is retired.
    """
    scope = load_scope(tx, caller)
    row = _own(tx, scope, cloud, MANAGES)
    if row.retired_at is not None:
        raise Conflict(f"{row.name} is retired, and its hosts are looked at no more")
    _add_look(tx, row, caller.at, asked_by=caller.user_id)
    look = store.find_look(tx, row.id)
    assert look is not None and look.task_id is not None
    return task_body(tx, tx.get_one(store_tasks.TaskRow, look.task_id))


@use_case
def schedule_looks(tx: Session, *, at: datetime) -> int:
    """Put looks at the hosts of clouds that are due on the list of tasks. Gives how many."""
    return sum(_add_look(tx, row, at) for row in store.due_clouds(tx, at, MOST_AT_ONCE))


def _add_look(tx: Session, cloud: CloudRow, at: datetime, *, asked_by: UUID | None = None) -> bool:
    """Put a look on the list of tasks, in the place of the last one; False where that is still under way."""
    find_cloud(tx, cloud.id, lock=True)
    look = store.find_look(tx, cloud.id, lock=True)
    if look is None:
        look = HostLookRow(cloud_id=cloud.id, next_at=at, look=0, looked_at=None, tells=None, task_id=None)
        tx.add(look)
    look.next_at = at + EVERY
    last = store_tasks.find_task(tx, look.task_id) if look.task_id else None
    if last is not None and last.state in UNDER_WAY:
        return False
    task = store_tasks.add_task(
        tx, HOSTS, cloud.slug, at=at, organisation=cloud.organisation_id, asked_by=asked_by,
        inputs={"cloud": str(cloud.id)}, counted="hosts",
    )  # fmt: skip
    look.task_id = task.id
    tx.flush()
    if last is not None:
        # Of each cloud the last look is kept: what came of the others are its days.
        store_tasks.drop_task(tx, last.id)
    return True


@use_case
def cloud_to_look_at(tx: Session, *, lease: Lease) -> Looked | None:
    """The cloud of a look; None where it is retired meanwhile."""
    row, _ = _held(tx, lease)
    return Looked(row.name, reaching(tx, row)) if row.retired_at is None else None


@use_case
def take_look(tx: Session, *, lease: Lease, stocks: Sequence[Stock] | None, at: datetime) -> None:
    """Note what a cloud told of its hosts; None is nothing: such a cloud is asked once a day."""
    row, look = _held(tx, lease)
    look.problem = look.failing_since = None
    look.tells = stocks is not None
    if stocks is None:
        look.next_at = at + EVERY_SILENT
        return
    look.looked_at, look.look = business_now(tx, at), look.look + 1
    store.keep_stocks(tx, row.id, look.looked_at.date(), [*together(stocks), *stocks], look.look)


@use_case
def note_problem(tx: Session, *, lease: Lease, problem: str, passing: bool, at: datetime) -> None:
    """Note why a look brought nothing, and look again soon where that may pass."""
    _, look = _held(tx, lease)
    look.problem = problem[:500]
    look.failing_since = look.failing_since or at
    if passing:
        look.next_at = min(look.next_at, at + RETRIED)


def _held(tx: Session, lease: Lease) -> tuple[CloudRow, HostLookRow]:
    """The cloud of a look, for writing.

    Raises:
        Conflict: another worker has it, or there is a later one.
    """
    require_lease(tx, lease)
    cloud = UUID(lease.inputs["cloud"])
    look = store.find_look(tx, cloud, lock=True)
    row = find_cloud(tx, cloud)
    if row is None or look is None or look.task_id != lease.task:
        raise Conflict("there is a later look at this cloud")
    return row, look
