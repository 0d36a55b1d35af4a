"""Files in any shape: how a feed's are mapped, what one would give, and what one brought or what is taken back."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.metering.file_mappings import EXAMPLE, read_written
from gradumen.core.metering.readings import LONGEST, Reading, reading_key
from gradumen.core.permissions import Right
from gradumen.store.metering import deliveries as store
from gradumen.store.metering.listings import has_listings
from gradumen.store.metering.readings import lock_keys
from gradumen.store.metering.stale_usage import Mark, mark_stale
from gradumen.store.metering.tables import DeliveryRow, FeedRow, SupersededReadingRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.cost_sets import take_back_costs
from gradumen.usecases.metering.feeds import delivery_bodies, feed_to_send, get_feed, may_send
from gradumen.usecases.metering.readings import new_delivery, take
from gradumen.usecases.metering.stored_readings import ACCEPTED, REFUSED, Archive, Outcome, marks_of
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.metering.deliveries import FileDeliveryBody, FileMappingBody, FileMappingForm
from gradumen.wire.metering.readings import DeliveryBody, OutcomeBody

BATCH = 5000
SHOWN = 200
"""Refusals of a file that are told."""


@use_case
def get_file_mapping(tx: Session, caller: Caller, *, feed: str) -> FileMappingBody:
    """How a feed's files are mapped; for its organisation's members and those who may send to it.

    Raises:
        NotFound: no such feed in scope.
    """
    row, owner = get_feed(tx, load_scope(tx, caller), feed)
    return _view(row, f"{owner.slug}/{row.slug}")


@use_case
def set_file_mapping(
    tx: Session, caller: Caller, *, feed: str, version: int, mapping: FileMappingForm
) -> FileMappingBody:
    """Say how a feed's files are mapped from now on. The same again changes nothing.

    Raises:
        Forbidden: the caller does not manage the feed.
        Invalid: something of the mapping cannot be, as a meter that nobody publishes.
        EditedMeanwhile: somebody else said it otherwise since it was read.
    """
    scope = load_scope(tx, caller)
    found, owner = get_feed(tx, scope, feed)
    scope.require(Right.MANAGE_FEEDS, owner)
    row = store.lock_feed(tx, found.id)
    path = f"{owner.slug}/{row.slug}"
    _check(tx, mapping)
    written = mapping.model_dump(mode="json")
    if row.mapping == written:
        return _view(row, path)
    if row.mapping_version != version:
        raise EditedMeanwhile(
            f"the mapping of '{path}' is at version {row.mapping_version}, you changed {version}; look again",
            version=row.mapping_version,
        )
    before, row.mapping = row.mapping, written
    row.mapping_version += 1
    tx.flush()
    record(tx, caller, "file mapping set", owner.id, path, before=before, after=written)
    return _view(row, path)


def _view(row: FeedRow, path: str) -> FileMappingBody:
    mapping = None if row.mapping is None else FileMappingForm.model_validate(row.mapping)
    return FileMappingBody(feed=path, version=row.mapping_version, mapping=mapping)


def _check(tx: Session, mapping: FileMappingForm) -> None:
    """Meters that a mapping names are published; its zone and times are some."""
    published = load_published(tx).meters
    for number, measured in enumerate(mapping.value().measured):
        named = [measured.meter.text, *measured.meter.values.values()]
        unknown = next((each for each in named if each and each not in published), None)
        if unknown is not None:
            raise Invalid(
                f"meter '{unknown[:60]}' is not known; use service/meter of a published service",
                field="mapping",
                value=unknown,
                path=f"measured[{number}].meter",
            )
    if mapping.times and read_written(EXAMPLE.strftime(mapping.times), mapping.times) is None:
        raise Invalid(
            f"times '{mapping.times}' is no way to write a time; write it like %d/%m/%Y %H:%M",
            field="times",
            value=mapping.times,
        )


@use_case
def mapping_to_use(
    tx: Session, caller: Caller, *, feed: str, given: FileMappingForm | None
) -> tuple[FileMappingForm | None, frozenset[str]]:
    """The mapping by which a file is read that somebody may send, given or the feed's; and the meters that there are.

    Raises:
        NotFound, Forbidden: as `feed_to_send`.
        Invalid: something of the mapping cannot be.
    """
    row = feed_to_send(tx, load_scope(tx, caller), feed)
    mapping = given or (None if row.mapping is None else FileMappingForm.model_validate(row.mapping))
    if mapping is not None:
        _check(tx, mapping)
    return mapping, frozenset(load_published(tx).meters)


@use_case
def send_file(
    tx: Session, caller: Caller, *, feed: str, name: str, content_hash: bytes, items: Sequence[Reading | Outcome]
) -> FileDeliveryBody:
    """Take all readings of a file, together; one that came before, and had nothing refused, changes nothing.

    Args:
        content_hash: of the file and the way in which it was mapped.
        items: readings, and outcomes of lines that could not be read.

    Raises:
        NotFound, Forbidden: as `feed_to_send`.
    """
    scope = load_scope(tx, caller)
    row = store.lock_feed(tx, feed_to_send(tx, scope, feed).id)
    return take_file(tx, scope, row, name, content_hash, items)


def take_file(
    tx: Session, scope: Scope, row: FeedRow, name: str, content_hash: bytes, items: Sequence[Reading | Outcome]
) -> FileDeliveryBody:
    """As `send_file`, for a feed that is locked."""
    same = store.same_file(tx, row.id, content_hash)
    if same is not None:
        return _told(same, [], 0, again=True)
    delivery = new_delivery(tx, scope.caller, row, file_name=name, content_hash=content_hash)
    refusals: list[Outcome] = []
    unknown = 0
    for first in range(0, len(items), BATCH):
        found = take(tx, scope, row, delivery, items[first : first + BATCH], first)
        refusals += [each for each in found if each.status == REFUSED][: SHOWN - len(refusals)]
        unknown += sum(each.status == ACCEPTED and each.reason is not None for each in found)
        tx.flush()
    return _told(delivery, refusals, unknown, again=False)


def _told(row: DeliveryRow, refusals: Sequence[Outcome], unknown: int, *, again: bool) -> FileDeliveryBody:
    return FileDeliveryBody(
        delivery_id=str(row.public_id),
        file=row.file_name or "",
        accepted=0 if again else row.accepted,
        known=row.accepted + row.known if again else row.known,
        refused=row.refused,
        refusals=[OutcomeBody.of(each) for each in refusals],
        again=again,
        unknown=unknown,
    )


@use_case
def take_back_delivery(tx: Session, caller: Caller, *, delivery: UUID) -> DeliveryBody:
    """Take all readings of a delivery back, as if it had not come; what replaced them meanwhile stays. Safe to repeat.

    Raises:
        NotFound: no such delivery in scope; a sender takes back its own.
        Forbidden: the caller may see it, but not send to its feed.
        Conflict: it replaced earlier readings, or takes another one back itself.
    """
    scope = load_scope(tx, caller)
    row = store.find_delivery(tx, delivery)
    feed = None if row is None else tx.get_one(FeedRow, row.feed_id)
    if row is None or feed is None or not _sees(tx, scope, feed, row):
        raise NotFound("delivery", delivery)
    if not may_send(tx, scope, feed):
        owner = tx.get_one(OrganisationRow, feed.organisation_id)
        raise Forbidden(right=Right.SEND_READINGS, organisation=owner.slug, name=owner.name)
    store.lock_feed(tx, feed.id)
    tx.refresh(row)
    if row.taken_back_by is None:
        archive = Archive(tx)
        if row.takes_back is not None:
            raise Conflict("this takes another delivery back, and is no delivery of readings itself")
        if row.is_read_again:
            raise Conflict("nobody sent this: rules made it of what was; take that back")
        if has_listings(tx, row.id):
            raise Conflict(
                "it has a list of all that was there, by which what is not in it ended; say again what is there, and "
                "since when"
            )
        if row.first_at is not None and archive.has(row.first_at, row.first_at + LONGEST):
            raise Conflict(archive.why(row.first_at))
        if store.has_replaced(tx, row.id):
            raise Conflict(
                "some of its readings replaced earlier ones, which would be missing then; send those that are wrong "
                "again, with a higher sequence"
            )
        taking = new_delivery(tx, caller, feed, takes_back=row.id, file_name=row.file_name)
        row.taken_back_by = taking.id
        count = take_back(tx, feed, row, taking, caller.at)
        costs = take_back_costs(tx, row, caller.at)
        tx.flush()
        what = row.file_name or str(row.public_id)
        gone = {"rows of costs": costs} if costs else {"readings": count}
        record(tx, caller, "delivery taken back", feed.organisation_id, what, after=gone)
    return delivery_bodies(tx, [row])[0]


def _sees(tx: Session, scope: Scope, feed: FeedRow, row: DeliveryRow) -> bool:
    own = row.sent_by == scope.caller.user_id
    return scope.is_member(feed.organisation_id, Right.READ) or (own and may_send(tx, scope, feed))


def take_back(tx: Session, feed: FeedRow, row: DeliveryRow, taking: DeliveryRow, at: datetime) -> int:
    """Take its readings that stand out of usage, and forget their ids; gives how many."""
    count = 0
    standing = store.standing_readings(tx, row.id, (row.first_at, row.last_at))
    for first in range(0, len(standing), BATCH):
        keys = {
            reading_key(str(feed.id), source, identity): rest
            for source, identity, rest in standing[first : first + BATCH]
        }
        known = lock_keys(tx, keys)
        # What replaced one of them since it was read stays.
        ours = [
            key
            for key, place in keys.items()
            if key in known and (known[key].delivery_id, known[key].position) == place[:2]
        ]
        marks: set[Mark] = set()
        for key in ours:
            brought_by, position, resource, meter, start, end = keys[key]
            tx.add(SupersededReadingRow(delivery_id=brought_by, position=position, by_delivery_id=taking.id))
            marks |= marks_of(resource, meter, start, end)
        tx.flush()
        store.drop_keys(tx, ours)
        tx.expire_all()
        mark_stale(tx, marks, at)
        count += len(ours)
    return count
