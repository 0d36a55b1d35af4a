"""Servers that a feed fetches: since when they are asked for; what came is taken in whole with how far it reaches."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gradumen.core.errors import EditedMeanwhile
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import Reading, full_hours
from gradumen.core.organisations.states import KEPT
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store.metering import server_looks as store
from gradumen.store.metering.spells import raise_watermarks
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.deliveries import BATCH
from gradumen.usecases.metering.listings import MOST_AT_ONCE
from gradumen.usecases.metering.pull_runs import held_pull
from gradumen.usecases.metering.readings import new_delivery, take
from gradumen.usecases.metering.stored_readings import Outcome
from gradumen.usecases.scope import scope_of_nobody
from gradumen.wire.metering.pulls import PullForm

LISTED_EVERY = timedelta(days=1)
"""So often all that is there is listed."""


@dataclass(frozen=True, slots=True)
class ServersAsked:
    """What is asked of servers: what changed since a moment, up to now by the business clock.

    ``new`` are the queries by which nothing was told yet. ``whole``: all that is there is to be listed.
    """

    since: datetime
    now: datetime
    new: frozenset[str]
    whole: bool


@use_case
def servers_to_ask(tx: Session, *, lease: Lease, at: datetime) -> ServersAsked | None:
    """What a run asks of servers; None where its seller or the feed is at rest, or nothing can be new."""
    row, pull = held_pull(tx, lease)
    scope = scope_of_nobody(tx, at)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    if pull.paused or Right.SEND_READINGS not in KEPT[scope.tree.state(owner.id)] or pull.complete_until >= scope.now:
        return None
    form = PullForm.model_validate(pull.form)
    numbers = load_published(tx).meter_ids
    last = store.listed_last(tx, row.id, form.endpoint, pull.complete_until)
    listed_at = {each.name: last.get(numbers[each.meter]) for each in form.queries}
    new = frozenset(name for name, each in listed_at.items() if each is None)
    whole = any(each is None or each <= scope.now - LISTED_EVERY for each in listed_at.values())
    return ServersAsked(pull.complete_until, scope.now, new, whole)


@use_case
def accounts_there(tx: Session, *, lease: Lease) -> Mapping[str, set[str]]:
    """By meter the accounts of a feed's source of which something is still there, empty for what has none."""
    row, pull = held_pull(tx, lease)
    form = PullForm.model_validate(pull.form)
    numbers = load_published(tx).meter_ids
    there = store.accounts_there(tx, row.id, form.endpoint, {numbers[each.meter] for each in form.queries})
    return {each.meter: there.get(numbers[each.meter], set()) for each in form.queries}


@use_case
def take_servers(
    tx: Session,
    *,
    lease: Lease,
    asked: PullForm,
    since: datetime,
    until: datetime,
    items: Sequence[Reading | Outcome],
    lists: Sequence[Listing],
    at: datetime,
) -> tuple[int, int]:
    """Take what servers were in, and that all is told up to a moment; gives how many are accepted and refused.

    Raises:
        EditedMeanwhile: it was set otherwise meanwhile.
    """
    row, pull = held_pull(tx, lease)
    if PullForm.model_validate(pull.form) != asked or pull.complete_until != since:
        raise EditedMeanwhile("how this feed is fetched was changed meanwhile", version=pull.version)
    scope = scope_of_nobody(tx, at)
    pull.complete_until = until
    raise_watermarks(tx, row.id, full_hours([(asked.endpoint, until)]))
    if not items and not lists:
        return 0, 0
    delivery = new_delivery(tx, scope.caller, row, file_name=f"up to {until:%Y-%m-%d %H:%M} UTC")
    for first in range(0, len(items), BATCH):
        take(tx, scope, row, delivery, items[first : first + BATCH], first)
        tx.flush()
    first = len(items)
    for batch in _batches(lists):
        take(tx, scope, row, delivery, batch, first)
        first += sum(1 + len(each.readings) for each in batch)
        tx.flush()
    return delivery.accepted, delivery.refused


def _batches(lists: Sequence[Listing]) -> list[list[Listing]]:
    """Lists in batches of as many resources as are taken at once."""
    found: list[list[Listing]] = []
    size = MOST_AT_ONCE + 1
    for each in lists:
        if size + len(each.readings) > MOST_AT_ONCE:
            found.append([])
            size = 0
        found[-1].append(each)
        size += len(each.readings)
    return found
