"""Usage of an organisation's month made again from what came in, because somebody asks for it."""

from datetime import date, datetime
from uuid import UUID

from gradumen.core.errors import Conflict, Forbidden
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store import tasks
from gradumen.store.metering import stale_usage as store
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.organisations.tables import load_tree, zone_name
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, business_now, get_organisation, load_scope
from gradumen.usecases.tasks import REMAKE, require_lease, task_body
from gradumen.wire.tasks import TaskBody


@use_case
def start_usage_remake(tx: Session, caller: Caller, *, organisation: str, period: str) -> TaskBody:
    """Have the usage of an organisation and all below it in a month of its billing zone made again, and rated.

    What comes of it is what is there, unless something of it went wrong. One that is under way is returned instead.

    Raises:
        Conflict: what was measured then is archived.
        Forbidden: the caller manages the feeds of none of those that this is measured for: it, or who is above it.
        Invalid: no such month.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    month = Period.parse(period)
    mine = scope.members_of(Right.MANAGE_FEEDS)
    managing = next((each for each in scope.tree.chain(owner.id) if each in mine), None)
    if managing is None:
        raise Forbidden(right=Right.MANAGE_FEEDS, organisation=owner.slug, name=owner.name)
    subject = f"{owner.slug} {month.text}"
    under_way = tasks.find_under_way(tx, REMAKE, managing, subject)
    if under_way is not None:
        return task_body(tx, tx.get_one(tasks.TaskRow, under_way))
    first, end = month.bounds(zone_of(zone_name(tx, owner.id, month.first_day)))
    bound = archived_before(tx)
    if bound is not None and month.first_day < bound:
        raise Conflict(
            f"readings before {bound} are archived, and what was made of them stays; have the provider bring "
            f"{month.text} back first"
        )
    inputs = {"organisation": str(owner.id), "from": f"{first.date()}", "to": f"{end.date()}"}
    task = tasks.add_task(
        tx, REMAKE, subject, at=caller.at, organisation=managing, asked_by=caller.user_id, inputs=inputs,
        counted="days",
    )  # fmt: skip
    record(tx, caller, "usage made again", owner.id, month.text)
    return task_body(tx, task)


@use_case
def mark_used(tx: Session, *, lease: Lease, day: date, at: datetime) -> int:
    """Mark what the task's organisation and all below it used on a UTC day; gives how many marks that were.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    return store.mark_used(tx, _owners(tx, lease, at), day, at)


@use_case
def mark_sent(tx: Session, *, lease: Lease, first: date, end: date, at: datetime) -> int:
    """Mark what was sent as theirs, on UTC days from one up to another; gives how many marks that were.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    return store.mark_sent(tx, _owners(tx, lease, at), first, end, at)


def _owners(tx: Session, lease: Lease, at: datetime) -> frozenset[UUID]:
    return load_tree(tx, business_now(tx, at)).below([UUID(lease.inputs["organisation"])])
