"""Readings come in: checked one by one, written in bulk, each counted once."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.catalogue.services import Meter, Service
from gradumen.core.errors import Forbidden, GradumenError, Invalid, whole_text
from gradumen.core.metering.readings import Reading, base_quantity, check_known, reading_key
from gradumen.core.permissions import Right
from gradumen.store.metering import readings
from gradumen.store.metering.tables import (
    DeliveryRow,
    FeedRow,
    ReadingKeyRow,
    SupersededReadingRow,
)
from gradumen.store.metering.usage import mark_stale
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.feeds import get_feed, may_send
from gradumen.usecases.scope import Caller, Scope, load_scope

ACCEPTED, KNOWN, REFUSED = "accepted", "known", "refused"
HOUR = timedelta(hours=1)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of one item, in the order they came."""

    id: str
    status: str
    reason: str | None = None
    field: str | None = None


@dataclass(frozen=True, slots=True)
class DeliveryOutcome:
    """What became of a batch."""

    delivery_id: UUID
    outcomes: list[Outcome]

    def count(self, status: str) -> int:
        """How many items have that status."""
        return sum(outcome.status == status for outcome in self.outcomes)


@dataclass(slots=True)
class _Checked:
    """A reading ready to be written."""

    index: int
    reading: Reading
    key: bytes
    content: bytes
    meter: int
    project: UUID | None
    quantity: Any
    attributes: int = 0


@use_case
def send_readings(tx: Session, caller: Caller, *, feed: str, items: Sequence[Reading | Outcome]) -> DeliveryOutcome:
    """Take a batch of one feed; each item is accepted, already known, or refused with a reason.

    Args:
        items: readings, and outcomes of those that could not even be read.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may see the feed but not send to it.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    if not may_send(tx, scope, row):
        raise Forbidden(right=Right.SEND_READINGS, organisation=owner.slug)
    outcomes: dict[int, Outcome] = {index: item for index, item in enumerate(items) if isinstance(item, Outcome)}
    checked = _check(tx, scope, row, items, outcomes)
    delivery = DeliveryRow(
        public_id=uuid4(),
        feed_id=row.id,
        sent_by=caller.user_id,
        received_at=caller.at,
        accepted=0,
        known=0,
        refused=0,
        first_refusal=None,
    )
    tx.add(delivery)
    tx.flush()
    fresh = _sift(tx, delivery.id, checked, outcomes)
    _write(tx, row, delivery.id, fresh)
    for each in fresh:
        outcomes[each.index] = Outcome(each.reading.id, ACCEPTED)
    result = DeliveryOutcome(delivery.public_id, [outcomes[index] for index in range(len(items))])
    delivery.accepted, delivery.known = result.count(ACCEPTED), result.count(KNOWN)
    delivery.refused = result.count(REFUSED)
    delivery.first_refusal = next((o.reason[:500] for o in result.outcomes if o.reason and o.status == REFUSED), None)
    return result


def _check(
    tx: Session, scope: Scope, feed: FeedRow, items: Sequence[Reading | Outcome], outcomes: dict[int, Outcome]
) -> list[_Checked]:
    """Check items against catalogue, owners and clock; keep one item per id, the one with the highest sequence."""
    published = load_published(tx)
    owners = _owners(tx, scope, feed, {item.owner for item in items if isinstance(item, Reading) and item.owner})
    allowed = {slug: _allowed(service) for slug, service in published.services.items()}
    checked: dict[bytes, _Checked] = {}
    for index, item in enumerate(items):
        if not isinstance(item, Reading):
            continue
        try:
            meter = _meter(published.meters, item)
            check_known(item, meter, allowed[meter.slug.partition("/")[0]], scope.now)
            if item.owner is not None and item.owner not in owners:
                raise Invalid(
                    f"owner '{item.owner}' is no project that this feed may write for; write organisation/project",
                    field="owner",
                )
            quantity = base_quantity(item, meter)
        except Invalid as problem:
            outcomes[index] = Outcome(item.id, REFUSED, problem.message, problem.facts.get("field"))
            continue
        project = owners[item.owner] if item.owner is not None else None
        each = _Checked(
            index,
            item,
            reading_key(str(feed.id), item.source, item.id),
            item.content_hash,
            published.meter_ids[meter.slug],
            project,
            quantity,
        )
        before = checked.get(each.key)
        if before is None or item.sequence > before.reading.sequence:
            checked[each.key] = each
            older = before
        else:
            older = each
        if older is not None:
            stands = checked[each.key]
            outcomes[older.index] = _beside(older, stands.content, stands.reading.sequence)
    return list(checked.values())


def _beside(each: _Checked, content: bytes, sequence: int) -> Outcome:
    """What becomes of a reading whose id is known with this content and sequence."""
    if each.content == content or each.reading.sequence < sequence:
        return Outcome(each.reading.id, KNOWN)
    return Outcome(
        each.reading.id,
        REFUSED,
        f"id '{each.reading.id}' is known with other content; send it with a sequence above {sequence} to replace it",
        "id",
    )


def _meter(meters: Mapping[str, Meter], item: Reading) -> Meter:
    if item.meter not in meters:
        raise Invalid(
            f"meter '{item.meter}' is not known; use service/meter of a published service",
            field="meter",
            value=item.meter,
        )
    return meters[item.meter]


def _allowed(service: Service) -> dict[str, tuple[str, ...]]:
    return {attribute.slug: attribute.values for attribute in service.attributes}


def _owners(tx: Session, scope: Scope, feed: FeedRow, paths: set[str]) -> dict[str, UUID]:
    """Projects by path, where they are inside what the feed's organisation sells to or is."""
    # A path with other letters is nobody's; its reading alone is refused, not all that came with it.
    pairs = [tuple(path.split("/", 1)) for path in paths if "/" in path and path.isascii()]
    if not pairs:
        return {}
    inside = scope.tree.below([feed.organisation_id])
    return {
        f"{organisation}/{project}": id
        for organisation, project, id, owner in readings.projects_by_path(tx, pairs)
        if owner in inside
    }


def _sift(tx: Session, delivery: int, checked: list[_Checked], outcomes: dict[int, Outcome]) -> list[_Checked]:
    """Write the keys and keep the readings that are new or replace; rivals meet on the keys' rows."""
    if not checked:
        return []
    checked = sorted(checked, key=lambda each: each.key)
    rows = [
        (each.key, each.content, each.reading.sequence, delivery, each.reading.start.replace(tzinfo=None))
        for each in checked
    ]
    if readings.add_keys(tx, rows) == len(rows):
        return checked
    stored = readings.lock_keys(tx, [each.key for each in checked])
    fresh: list[_Checked] = []
    for each in checked:
        row = stored[each.key]
        if row.delivery_id == delivery:
            fresh.append(each)
        elif each.reading.sequence > row.sequence:
            _replace(tx, each, row, delivery)
            fresh.append(each)
        else:
            outcomes[each.index] = _beside(each, row.content, row.sequence)
    return fresh


def _replace(tx: Session, each: _Checked, row: ReadingKeyRow, delivery: int) -> None:
    """Put a reading in the place of an earlier one, whose hours become stale too."""
    old = readings.find_reading(
        tx, delivery=row.delivery_id, start=row.start_at, source=each.reading.source, event=each.reading.id
    )
    tx.add(
        SupersededReadingRow(
            delivery_id=row.delivery_id, key=each.key, source=each.reading.source, event_id=each.reading.id
        )
    )
    row.content, row.sequence, row.delivery_id = each.content, each.reading.sequence, delivery
    row.start_at = each.reading.start
    tx.flush()
    if old is not None:
        project, meter, start, end = old
        mark_stale(tx, {(project, meter, hour) for hour in _hours(start, end) if project is not None})


def _write(tx: Session, feed: FeedRow, delivery: int, fresh: list[_Checked]) -> None:
    if not fresh:
        return
    fresh.sort(key=lambda each: each.index)
    sets = _attribute_sets(tx, {each.reading.attributes for each in fresh})
    rows = [
        (
            each.reading.start.replace(tzinfo=None),
            each.reading.end.replace(tzinfo=None),
            feed.id,
            delivery,
            each.reading.source,
            each.reading.id,
            each.reading.sequence,
            None if each.project is None else str(each.project),
            each.reading.account,
            each.reading.resource,
            each.meter,
            sets[each.reading.attributes],
            each.quantity,
        )
        for each in fresh
    ]
    readings.add_readings(tx, rows)
    stale = {
        (each.project, each.meter, hour)
        for each in fresh
        if each.project is not None
        for hour in _hours(each.reading.start, each.reading.end)
    }
    mark_stale(tx, stale)


def _hours(start: datetime, end: datetime) -> list[datetime]:
    hour = start.replace(minute=0, second=0, microsecond=0)
    found = []
    while hour < end:
        found.append(hour)
        hour += HOUR
    return found


def _attribute_sets(tx: Session, wanted: set[tuple[tuple[str, str], ...]]) -> dict[tuple[tuple[str, str], ...], int]:
    hashes = {hashlib.sha256(json.dumps(each).encode()).digest()[:16]: each for each in wanted}
    found = readings.number_attribute_sets(tx, {digest: dict(each) for digest, each in hashes.items()})
    return {hashes[digest]: number for digest, number in found.items()}


def unreadable(identity: object, problem: GradumenError) -> Outcome:
    """The outcome of an item that could not be read."""
    return Outcome(
        whole_text(str(identity)[:191]) if identity else "", REFUSED, problem.message, problem.facts.get("field")
    )
