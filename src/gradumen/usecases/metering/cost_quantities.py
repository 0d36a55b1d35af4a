"""What cost files say was used becomes readings: of each set that stands, in the place of what was made of it before.

So rules of kind say of which meter it is, rules of ownership whose, and it is charged as what is measured otherwise.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from gradumen.core.metering.cost_quantities import Unread, in_sequence, not_yet, quantities
from gradumen.core.metering.readings import LONGEST, Reading, reading_key
from gradumen.store.metering import cost_quantities as store
from gradumen.store.metering import readings as store_readings
from gradumen.store.metering.deliveries import drop_keys, lock_feed
from gradumen.store.metering.imported_costs import CostSetRow, Key
from gradumen.store.metering.refused_items import drop_refused
from gradumen.store.metering.stale_usage import Mark, mark_stale
from gradumen.store.metering.tables import FeedRow, ReadingKeyRow, SupersededReadingRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering.deliveries import BATCH
from gradumen.usecases.metering.readings import new_delivery, take, unreadable
from gradumen.usecases.metering.stored_readings import REFUSED, Archive, Outcome, marks_of
from gradumen.usecases.scope import Scope, scope_of_nobody

MOST_SETS, MOST_ROWS = 100, 50_000
"""Sets, and rows of files that they have unless one alone has more, of one transaction."""


def read_quantities(uow: UnitOfWork, *, at: datetime) -> int:
    """Read what all sets that are marked say was used; gives how many sets."""
    done = 0
    while count := read_batch(uow, at=at):
        done += count
    return done


@dataclass(frozen=True, slots=True)
class Made:
    """A reading that a set's rows are, or what cannot be one."""

    of: CostSetRow
    item: Reading | Outcome


@use_case
def read_batch(tx: Session, *, at: datetime) -> int:
    """Read what some sets of one feed say was used; gives how many sets.

    What is the same as before stays; what is other takes its place; what is not said any more is taken out.
    """
    number = store.feed_to_read(tx)
    if number is None:
        return 0
    feed = lock_feed(tx, number)
    marked = store.next_unread(tx, feed.id, MOST_SETS, MOST_ROWS)
    keys: set[Key] = {(each.feed_id, each.account, each.day) for each in marked}
    scope = scope_of_nobody(tx, at)
    before, standing = store.made_of(tx, keys), store.standing(tx, keys)
    made = _made(tx, feed, standing, scope.now)
    wanted = {
        reading_key(str(feed.id), each.item.source, each.item.id): each
        for each in made
        if isinstance(each.item, Reading)
    }
    known = store_readings.lock_keys(tx, wanted.keys() | before.keys()) if wanted or before else {}
    ours = {key: known[key] for key in before if key in known}
    fresh = [each for each in made if isinstance(each.item, Outcome) and not each.of.was_read]
    for key, each in wanted.items():
        item = _to_send(each, ours.get(key))
        if item is not None:
            fresh.append(item)
    refused, left = _write(tx, scope, feed, fresh, ours, wanted.keys())
    sets = {(each.feed_id, each.account, each.day): each.id for each in (*marked, *standing)}
    made_of = {key: each.of.id for key, each in wanted.items() if key not in refused}
    store.keep_made(tx, keys, {**made_of, **{key: sets[before[key]] for key in left}})
    for part in standing:
        part.was_read = feed.reads_quantities
    for part in marked:
        part.unread_since = None
    tx.flush()
    return len(marked)


def _made(tx: Session, feed: FeedRow, standing: Sequence[CostSetRow], now: datetime) -> list[Made]:
    """What sets that stand say was used and is over; when the rest is, is noted with each."""
    used = store.used_of(tx, standing) if feed.reads_quantities else {}
    made = []
    for each in standing:
        over, each.ready_at = not_yet(used.get(each.id, ()), now)
        for item in quantities(each.account, each.day, over):
            read = unreadable(item.id, item.why) if isinstance(item, Unread) else item
            made.append(Made(each, read))
    return made


def _to_send(made: Made, known: ReadingKeyRow | None) -> Made | None:
    """A reading as it is to be taken in; None where it is there already as it is."""
    item = made.item
    if known is None or not isinstance(item, Reading):
        return made
    if in_sequence(item, known.sequence).content == known.content:
        return None
    return Made(made.of, in_sequence(item, known.sequence + 1))


def _write(
    tx: Session,
    scope: Scope,
    feed: FeedRow,
    fresh: Sequence[Made],
    ours: Mapping[bytes, ReadingKeyRow],
    wanted: Collection[bytes],
) -> tuple[set[bytes], set[bytes]]:
    """Take in what is new, and out what is gone, as a delivery that nobody sent; gives what was refused, and left.

    What is refused of a set is told when it is first read, not whenever it is again; what it would have replaced stands
    no more.
    """
    gone = {key: row for key, row in ours.items() if key not in wanted}
    if not fresh and not gone:
        return set(), set()
    delivery = new_delivery(tx, scope.caller, feed, is_read_again=True)
    left = _take_out(tx, delivery.id, gone, scope.caller.at)
    refused, told = set[bytes](), list[int]()
    for first in range(0, len(fresh), BATCH):
        some = fresh[first : first + BATCH]
        outcomes = take(tx, scope, feed, delivery, [each.item for each in some], first)
        for place, (each, outcome) in enumerate(zip(some, outcomes, strict=True), first):
            if outcome.status == REFUSED and isinstance(each.item, Reading):
                refused.add(reading_key(str(feed.id), each.item.source, each.item.id))
            if outcome.status == REFUSED and each.of.was_read:
                told.append(place)
        tx.flush()
    left |= _take_out(tx, delivery.id, {key: ours[key] for key in refused if key in ours}, scope.caller.at)
    drop_refused(tx, delivery.id, told)
    delivery.refused -= len(told)
    if not delivery.refused:
        delivery.first_refusal = None
    return refused, left


def _take_out(tx: Session, delivery: int, gone: Mapping[bytes, ReadingKeyRow], at: datetime) -> set[bytes]:
    """Let readings stand no more, and forget their ids; what is archived stays as it is, and is given."""
    archive, marks = Archive(tx), set[Mark]()
    left = {key for key, row in gone.items() if archive.has(row.start_at, row.start_at + LONGEST)}
    gone = {key: row for key, row in gone.items() if key not in left}
    for row in gone.values():
        place = {"delivery_id": row.delivery_id, "position": row.position}
        tx.add(SupersededReadingRow(**place, by_delivery_id=delivery))
        # When each ends is not asked one by one: a day made again without need comes to the same.
        marks |= marks_of(row.resource_id, row.meter_id, row.start_at, row.start_at + LONGEST)
    tx.flush()
    drop_keys(tx, gone)
    mark_stale(tx, marks, at)
    return left


@use_case
def mark_ready(tx: Session, *, at: datetime) -> int:
    """Have what was not over yet read, where it is now; gives of how many sets."""
    return store.mark_ready(tx, scope_of_nobody(tx, at).now, at)
