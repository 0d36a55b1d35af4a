"""Checked readings written in bulk: each counted once, the highest sequence of an id standing."""

import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gradumen.core.metering.kinds import UNKNOWN
from gradumen.core.metering.readings import Attributes, Reading, hash_of, reading_key
from gradumen.core.periods import midnight
from gradumen.store.bulk import escaped
from gradumen.store.metering import readings
from gradumen.store.metering.archived_months import lock_bound
from gradumen.store.metering.readings import Origin
from gradumen.store.metering.stale_usage import Mark, mark_stale
from gradumen.store.metering.tables import FeedRow, ReadingKeyRow, ReadingRow, SupersededReadingRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.kinds import Kept

ACCEPTED, KNOWN, REFUSED = "accepted", "known", "refused"
SECOND = timedelta(seconds=1)
PROBED = 8
"""Readings of a batch at which it is seen whether all were sent before."""


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of one item, in the order they came."""

    id: str
    status: str
    reason: str | None = None
    field: str | None = None


@dataclass(frozen=True, slots=True)
class Unreadable(Outcome):
    """The outcome of what could not even be read; ``sent`` is what was sent, as JSON, where that is known."""

    sent: str | None = None


@dataclass(slots=True)
class Checked:
    """A reading ready to be written; ``kept`` where it is no meter that it names, or a rule says which it is."""

    index: int
    reading: Reading
    key: bytes
    meter: int
    quantity: str
    kept: Kept | None = None
    resource: int = 0

    @property
    def marks(self) -> set[Mark]:
        """The days whose usage it changes."""
        return marks_of(self.resource, self.meter, self.reading.start, self.reading.end)

    @property
    def attributes(self) -> Attributes:
        """What it is priced by."""
        return self.reading.attributes if self.kept is None else self.kept.attributes


def number_resources(tx: Session, feed: FeedRow, checked: list[Checked]) -> None:
    numbers = readings.number_resources(tx, feed.id, {each.reading.resource for each in checked})
    for each in checked:
        each.resource = numbers[each.reading.resource]


def beside(each: Checked, content: bytes, sequence: int) -> Outcome:
    """What becomes of a reading whose id is known with this content and sequence."""
    if each.reading.content == content or each.reading.sequence < sequence:
        return Outcome(each.reading.id, KNOWN)
    return Outcome(
        each.reading.id,
        REFUSED,
        f"id '{each.reading.id}' is known with other content; send it with a sequence above {sequence} to replace it",
        "id",
    )


def known_already(tx: Session, feed: int, items: Sequence[tuple[int, Reading]], outcomes: dict[int, Outcome]) -> None:
    """Of a batch that was sent before say so at once: what is known as it is here needs no second look.

    Whether it was is seen at some of it.
    """
    if len(items) < PROBED:
        return
    keys = {index: reading_key(str(feed), item.source, item.id) for index, item in items}
    probed = items[:: len(items) // PROBED]
    some = readings.contents_of(tx, {keys[index] for index, _ in probed})
    if all(some.get(keys[index]) == item.content for index, item in probed):
        contents = readings.contents_of(tx, set(keys.values()))
        for index, item in items:
            if contents.get(keys[index]) == item.content:
                outcomes[index] = Outcome(item.id, KNOWN)


class Archive:
    """What was measured before a day is archived: its usage stays as it was made. While readings come in it stands."""

    def __init__(self, tx: Session) -> None:
        self._before = lock_bound(tx)

    def has(self, start: datetime, end: datetime) -> bool:
        """Whether a reading of a span of time is, or is to be: what holds until it changes never is."""
        return self._before is not None and start != end and start < midnight(self._before)

    def why(self, start: datetime) -> str:
        """Why it does not let what starts then change anything."""
        return (
            f"start {start:%Y-%m-%d %H:%M} is before {self._before}, and what was measured before then is archived: "
            "its usage stays as it is; have the provider bring those months back, or send it as of a later day"
        )

    def refused(self, identity: str, start: datetime) -> Outcome:
        """The outcome of what it no longer lets change anything."""
        return Outcome(identity, REFUSED, self.why(start), "start")


def sift_archived(tx: Session, archive: Archive, checked: list[Checked], outcomes: dict[int, Outcome]) -> list[Checked]:
    """Keep the readings that still count; of the others those that are known as they are come to nothing new."""
    late = [each for each in checked if archive.has(each.reading.start, each.reading.end)]
    if not late:
        return checked
    contents = readings.contents_of(tx, {each.key for each in late})
    for each in late:
        known = contents.get(each.key) == each.reading.content
        outcomes[each.index] = (
            Outcome(each.reading.id, KNOWN) if known else archive.refused(each.reading.id, each.reading.start)
        )
    return [each for each in checked if each.index not in outcomes]


def sift(
    tx: Session, delivery: int, checked: list[Checked], outcomes: dict[int, Outcome], at: datetime
) -> list[Checked]:
    """Write the keys and keep the readings that are new or replace; rivals meet on the keys' rows."""
    if not checked:
        return []
    archive = Archive(tx)
    checked = sorted(sift_archived(tx, archive, checked, outcomes), key=lambda each: each.key)
    texts = _Texts()
    rows = (
        (
            each.key.hex(),
            each.reading.content.hex(),
            each.reading.sequence,
            delivery,
            each.index,
            each.resource,
            each.meter,
            texts[each.reading.start],
        )
        for each in checked
    )
    if readings.add_keys(tx, rows) == len(checked):
        return checked
    stored = readings.lock_keys(tx, [each.key for each in checked])
    fresh: list[Checked] = []
    for each in checked:
        row = stored[each.key]
        if (row.delivery_id, row.position) == (delivery, each.index):
            fresh.append(each)
        elif each.reading.sequence <= row.sequence:
            outcomes[each.index] = beside(each, row.content, row.sequence)
        elif (old := readings.find_reading(tx, row)) is None or archive.has(old.start_at, old.end_at):
            outcomes[each.index] = archive.refused(each.reading.id, row.start_at)
        else:
            _replace(tx, each, (row, old), delivery, at)
            fresh.append(each)
    return fresh


def _replace(tx: Session, each: Checked, known: tuple[ReadingKeyRow, ReadingRow], delivery: int, at: datetime) -> None:
    """Put a reading in the place of an earlier one, whose days are made again too."""
    row, old = known
    tx.add(SupersededReadingRow(delivery_id=old.delivery_id, position=old.position, by_delivery_id=delivery))
    mark_stale(tx, marks_of(old.resource_id, old.meter_id, old.start_at, old.end_at), at)
    row.content, row.sequence = each.reading.content, each.reading.sequence
    row.delivery_id, row.position = delivery, each.index
    row.resource_id, row.meter_id, row.start_at = each.resource, each.meter, each.reading.start
    tx.flush()


def write(tx: Session, delivery: int, fresh: list[Checked], at: datetime) -> None:
    if not fresh:
        return
    fresh.sort(key=lambda each: (each.resource, each.meter, each.reading.start, each.index))
    ruled = {each.kept.sent.attributes for each in fresh if each.kept is not None}
    sets = attribute_sets_of(tx, {each.attributes for each in fresh} | ruled)
    from_of = [_origin(each, sets) for each in fresh]
    origins = number_origins(tx, set(from_of))
    texts = _Texts()
    rows = (
        (
            each.resource,
            each.meter,
            texts[each.reading.start],
            delivery,
            each.index,
            texts[each.reading.end],
            origins[origin],
            sets[each.attributes],
            escaped(each.reading.id),
            each.reading.sequence,
            each.quantity,
        )
        for each, origin in zip(fresh, from_of, strict=True)
    )
    readings.add_readings(tx, rows)
    mark_stale(tx, {mark for each in fresh for mark in each.marks}, at)


class _Texts(dict[datetime, str]):
    """Times as the database reads them; the readings of a batch share a few."""

    def __missing__(self, moment: datetime) -> str:
        self[moment] = f"{moment:%Y-%m-%d %H:%M:%S}"
        return self[moment]


def marks_of(resource: int, meter: int, start: datetime, end: datetime) -> set[Mark]:
    """The UTC days that a reading touches: no more than two, as it covers at most 24 hours; of unknown kind none."""
    if meter == UNKNOWN:
        return set()
    return {(resource, meter, start.date()), (resource, meter, (end - SECOND).date())}


def _origin(each: Checked, sets: Mapping[Attributes, int]) -> Origin:
    said = Origin(each.reading.source, each.reading.account, each.reading.owner)
    return said if each.kept is None else sent_as(said, each.kept, sets)


def sent_as(origin: Origin, kept: Kept, sets: Mapping[Attributes, int]) -> Origin:
    """Where a reading comes from, with what it was sent as; ``sets`` are numbers of attributes."""
    factor = None if kept.factor is None else f"{kept.factor.numerator}/{kept.factor.denominator}"
    sent = kept.sent
    return Origin(*origin[:3], sent.meter, sent.unit, sets[sent.attributes], factor, kept.amount)


def number_origins(tx: Session, wanted: Collection[Origin]) -> dict[Origin, int]:
    """Numbers of origins; new ones are added."""
    hashes = {_origin_hash(each): each for each in wanted}
    numbers = readings.number_origins(tx, hashes)
    return {hashes[digest]: number for digest, number in numbers.items()}


def _origin_hash(origin: Origin) -> bytes:
    source, account, owner, meter, *rest, is_amount = origin
    sent = () if meter is None else (meter, *("" if each is None else str(each) for each in rest))
    return hash_of(source, account or "", owner or "", *sent, *(("amount",) if is_amount else ()))


def attribute_sets_of(tx: Session, wanted: set[Attributes]) -> dict[Attributes, int]:
    """Numbers of sets of attributes; new ones are added."""
    hashes = {hashlib.sha256(json.dumps(each).encode()).digest()[:16]: each for each in wanted}
    found = readings.number_attribute_sets(tx, {digest: dict(each) for digest, each in hashes.items()})
    return {hashes[digest]: number for digest, number in found.items()}
