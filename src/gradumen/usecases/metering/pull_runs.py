"""Runs of feeds that the service fetches: when they are due, what is taken in hour by hour, and how one ended."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from gradumen.core.errors import Conflict, EditedMeanwhile
from gradumen.core.metering.pulls import Window
from gradumen.core.metering.readings import Reading, hash_of
from gradumen.core.organisations.states import KEPT
from gradumen.core.permissions import Right
from gradumen.core.tasks import UNDER_WAY, Lease
from gradumen.store import tasks as store_tasks
from gradumen.store.metering import pulls as store
from gradumen.store.metering.deliveries import lock_feed
from gradumen.store.metering.pulls import PullRow
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.sealing import seals_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.metering.deliveries import BATCH, take_back
from gradumen.usecases.metering.pulls import Asking, windows_due
from gradumen.usecases.metering.readings import new_delivery, take
from gradumen.usecases.metering.stored_readings import Outcome
from gradumen.usecases.scope import scope_of_nobody
from gradumen.usecases.tasks import PULL, require_lease
from gradumen.wire.metering.pulls import PullForm

MOST_AT_ONCE = 20
RETRIED = timedelta(minutes=5)
"""After a run to which nothing answered, at most."""


@use_case
def schedule_pulls(tx: Session, *, at: datetime) -> int:
    """Put the runs that are due on the list of tasks; one that is still under way is waited for. Gives how many."""
    count = 0
    for feed in store.due_pulls(tx, at, MOST_AT_ONCE):
        pull = store.find_pull(tx, feed, lock=True)
        if pull is None or pull.paused or pull.next_at > at:
            continue
        form = PullForm.model_validate(pull.form)
        pull.next_at = at + timedelta(minutes=form.every_minutes)
        last = store_tasks.find_task(tx, pull.task_id) if pull.task_id else None
        if last is not None and last.state in UNDER_WAY:
            continue
        row = tx.get_one(FeedRow, feed)
        owner = tx.get_one(OrganisationRow, row.organisation_id)
        task = store_tasks.add_task(
            tx, PULL, f"{owner.slug}/{row.slug}", at=at, organisation=owner.id, inputs={"feed": feed}, counted="hours"
        )
        pull.task_id = task.id
        tx.flush()
        if last is not None:
            # Of each feed the last run is kept: what came of the others are its deliveries.
            store_tasks.drop_task(tx, last.id)
        count += 1
    return count


def held_pull(tx: Session, lease: Lease) -> tuple[FeedRow, PullRow]:
    """The feed of a run, for taking in.

    Raises:
        Conflict: another has the run, or it is fetched no more.
    """
    require_lease(tx, lease)
    row = lock_feed(tx, int(lease.inputs["feed"]))
    pull = store.find_pull(tx, row.id, lock=True)
    if pull is None or pull.task_id != lease.task:
        raise Conflict("this feed is fetched no more, or by another run")
    return row, pull


@use_case
def pull_to_do(tx: Session, *, lease: Lease, at: datetime) -> Asking:
    """What a run asks; no hour where its seller is at rest."""
    row, pull = held_pull(tx, lease)
    scope = scope_of_nobody(tx, at)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    form = PullForm.model_validate(pull.form)
    sends = Right.SEND_READINGS in KEPT[scope.tree.state(owner.id)]
    windows = windows_due(pull, form, scope.now) if sends and not pull.paused and form.kind.hourly else []
    secret = seals_of(tx).open(pull.sealed) if pull.sealed else ""
    return Asking(form, secret, owner.slug, windows)


@use_case
def take_hour(
    tx: Session, *, lease: Lease, asked: PullForm, window: Window, items: Sequence[Reading | Outcome], at: datetime
) -> tuple[int, int]:
    """Take an hour in, whole, in the place of what came of it before; gives how many are accepted and refused.

    One in which nothing at all was measured, though something was before, is noted, unless somebody asked for it once
    more. The same hour with the same content changes nothing.

    Raises:
        EditedMeanwhile: it was set otherwise meanwhile.
    """
    row, pull = held_pull(tx, lease)
    start, end = window
    if PullForm.model_validate(pull.form) != asked or pull.complete_until != start:
        raise EditedMeanwhile("how this feed is fetched was changed meanwhile", version=pull.version)
    scope = scope_of_nobody(tx, at)
    name = f"{start:%Y-%m-%d %H:%M} to {end:%H:%M} UTC"
    content = hash_of(*(f"{each.id} {_content(each)}" for each in items))
    before = store.delivery_of_hour(tx, row.id, name)
    pull.complete_until = end
    if before is not None and before.content_hash == content and not before.refused:
        return 0, 0
    if before is not None:
        taking = new_delivery(tx, scope.caller, row, takes_back=before.id, file_name=name)
        before.taken_back_by = taking.id
        take_back(tx, row, before, taking, at)
        tx.flush()
    if not items:
        believed = pull.believed_until is not None and start < pull.believed_until
        if not believed and pull.quiet_from is None and store.has_delivered(tx, row.id):
            pull.quiet_from = start
        return 0, 0
    delivery = new_delivery(tx, scope.caller, row, file_name=name, content_hash=content)
    for first in range(0, len(items), BATCH):
        take(tx, scope, row, delivery, items[first : first + BATCH], first)
        tx.flush()
    return delivery.accepted, delivery.refused


def _content(item: Reading | Outcome) -> str:
    return item.content.hex() if isinstance(item, Reading) else item.reason or ""


@use_case
def end_run(tx: Session, *, lease: Lease, problem: str | None, passing: bool, at: datetime, more: bool = False) -> None:
    """Note how a run ended, and when the next one is: at once where something is left, soon where nothing answered."""
    try:
        _, pull = held_pull(tx, lease)
    except Conflict:
        return
    pull.last_run_at = at
    pull.problem = None if problem is None else problem[:500]
    if problem is None:
        pull.failing_since = None
        form = PullForm.model_validate(pull.form)
        if more or (form.kind.hourly and windows_due(pull, form, scope_of_nobody(tx, at).now)):
            pull.next_at = at
    else:
        pull.failing_since = pull.failing_since or at
        if passing:
            pull.next_at = min(pull.next_at, at + RETRIED)
