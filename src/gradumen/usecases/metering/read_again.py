"""What came in is read anew by changed rules of kind: what it is now stands in the place of what it was before."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any
from uuid import uuid4

from gradumen.core.metering.kinds import Kinds
from gradumen.core.metering.readings import reading_key
from gradumen.core.periods import midnight
from gradumen.core.tasks import Lease
from gradumen.store.bulk import escaped
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering import readings as store_readings
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.kind_rules import KindGroup, Place, Standing
from gradumen.store.metering.stale_usage import Mark, mark_stale
from gradumen.store.metering.tables import DeliveryRow, FeedRow, ReadingKeyRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.kind_groups import GroupsLookedAt, Segment, differs, found_for, segments_of
from gradumen.usecases.metering.kind_rules import add_reading
from gradumen.usecases.metering.kinds import Kept, catalogue_of, kept_as, rules_of
from gradumen.usecases.metering.stored_readings import attribute_sets_of, marks_of, number_origins, sent_as
from gradumen.usecases.tasks import require_lease

BATCH = 5000
"""Readings of one transaction."""
MOST_GROUPS = 500
"""Of which some are read together."""


@dataclass(frozen=True, slots=True)
class ToRead:
    """The feeds of a seller, and the days in spans within which its rules say the same."""

    feeds: Sequence[int]
    segments: Sequence[Segment]


@use_case
def feeds_to_read(tx: Session, *, lease: Lease) -> ToRead:
    """What a task is about.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    if lease.organisation is None:
        return ToRead([], [])
    first, end = (date.fromisoformat(lease.inputs[each]) for each in ("from", "to"))
    # What is archived stays of the kind that it was.
    first = max(first, archived_before(tx) or first)
    kinds = Kinds(rules_of(tx, lease.organisation), catalogue_of(load_published(tx)))
    return ToRead([each.id for each in feeds_of(tx, lease.organisation)], segments_of([kinds], first, end))


@use_case
def groups_to_read(tx: Session, *, lease: Lease, feed: int, segment: Segment) -> list[KindGroup]:
    """The readings of a feed that are another kind by now than they are kept as.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    published = load_published(tx)
    row = tx.get_one(FeedRow, feed)
    kinds = Kinds(rules_of(tx, row.organisation_id), catalogue_of(published))
    bounds, unknown = (midnight(segment[0]), midnight(segment[1])), bool(lease.inputs["unknown"])
    groups = store.groups_of(tx, [feed], *bounds, store_readings.NEWEST, unknown=unknown)
    looked = GroupsLookedAt(tx, groups, published)
    return [each for each in groups if differs(looked.was(each), found_for(kinds, looked, each))]


@use_case
def read_groups_again(
    tx: Session,
    *,
    lease: Lease,
    feed: int,
    groups: Sequence[KindGroup],
    segment: Segment,
    after: Place | None,
    at: datetime,
) -> tuple[int, Place | None]:
    """Read some readings of groups anew, in the order of their places; gives how many, and after which to go on.

    What is replaced by its sender meanwhile stays as that says.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    bounds = midnight(segment[0]), midnight(segment[1])
    standing = store.readings_of(tx, groups, *bounds, after, BATCH)
    row = tx.get_one(FeedRow, feed)
    moved = _moved(tx, row, groups, standing)
    known = store_readings.lock_keys(tx, [key for _, _, key in moved])
    there = [
        (each, kept, known[key])
        for each, kept, key in moved
        if key in known and (known[key].delivery_id, known[key].position) == each.place[3:]
    ]
    if there:
        _write(tx, row, there, at)
    return len(there), standing[-1].place if len(standing) == BATCH else None


Moved = tuple[Standing, Kept, bytes]
"""A reading as it is kept, as it will be, and by which it is known."""


def _moved(tx: Session, feed: FeedRow, groups: Sequence[KindGroup], standing: Sequence[Standing]) -> list[Moved]:
    """What readings are by now, of those that are another kind than they are kept as."""
    published = load_published(tx)
    kinds = Kinds(rules_of(tx, feed.organisation_id), catalogue_of(published))
    looked = GroupsLookedAt(tx, groups, published)
    by_key: dict[Any, KindGroup] = {(*each.key, each.held): each for each in groups}
    moved = []
    for each in standing:
        group = by_key.get((*each.place[:2], each.origin, each.attributes, each.place[2] == each.end))
        if group is None:
            continue
        # By its own day: rules may be others by now than when the groups were made.
        found, was = found_for(kinds, looked, group, each.place[2].date()), looked.was(group)
        kept = kept_as(found, looked.sent(group), looked.quantity_sent(group, each.quantity), published.meter_ids)
        # Of a kind that it cannot be, as for being too fine, it stays unknown.
        if differs(was, found) and not (kept.factor is None and was.meter is None):
            source = looked.origins[group.origin].source
            moved.append((each, kept, reading_key(str(feed.id), source, each.event)))
    return moved


def _write(tx: Session, feed: FeedRow, moved: Sequence[tuple[Standing, Kept, ReadingKeyRow]], at: datetime) -> None:
    """Put readings in the place of what they are made of, as a delivery that nobody sent."""
    starts = [each.place[2].replace(tzinfo=UTC) for each, _, _ in moved]
    delivery = DeliveryRow(
        public_id=uuid4(), feed_id=feed.id, sent_by=None, received_at=at, accepted=len(moved), known=0, refused=0,
        first_at=min(starts), last_at=max(starts), is_read_again=True,
    )  # fmt: skip
    tx.add(delivery)
    tx.flush()
    origins = store.origins_by_number(tx, {each.origin for each, _, _ in moved})
    sets = attribute_sets_of(tx, {told for _, kept, _ in moved for told in (kept.attributes, kept.sent.attributes)})
    new = [sent_as(origins[each.origin], kept, sets) for each, kept, _ in moved]
    numbers = number_origins(tx, set(new))
    marks: set[Mark] = set()
    rows = []
    for position, ((each, kept, _), origin) in enumerate(zip(moved, new, strict=True)):
        resource, meter, start, _, _ = each.place
        marks |= marks_of(resource, meter, start, each.end) | marks_of(resource, kept.meter, start, each.end)
        rows.append(
            (
                resource, kept.meter, start, delivery.id, position, each.end, numbers[origin], sets[kept.attributes],
                escaped(each.event), each.sequence, kept.quantity,
            )
        )  # fmt: skip
    store_readings.add_readings(tx, rows)
    store.put_again(tx, delivery.id, [(each, known, kept.meter) for each, kept, known in moved])
    mark_stale(tx, marks, at)


@use_case
def read_unknown_again(tx: Session, *, at: datetime) -> int:
    """Have read anew what is of unknown kind where the catalogue has changed since; gives for how many sellers."""
    found = store.to_try(tx)
    for seller, (first, last) in sorted(found.items()):
        days = first.date(), last.date()
        add_reading(tx, tx.get_one(OrganisationRow, seller), days, at=at, asked_by=None, unknown=True)
    return len(found)
