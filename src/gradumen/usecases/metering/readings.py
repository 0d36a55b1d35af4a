"""Readings come in: checked one by one, written in bulk, each counted once."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID, uuid4

from gradumen.core.catalogue.services import Meter
from gradumen.core.errors import GradumenError, Invalid, whole_text
from gradumen.core.exact import text
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import (
    Attributes,
    Reading,
    Told,
    base_quantity,
    check_attributes,
    check_end,
    check_now,
    check_told,
    full_hours,
    reading_key,
)
from gradumen.store.metering.spells import raise_watermarks
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.organisations.projects import projects_by_path
from gradumen.store.organisations.tables import trees_between
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.feeds import feed_to_send
from gradumen.usecases.metering.kinds import Kept, KindsOfFeed
from gradumen.usecases.metering.listings import Listings
from gradumen.usecases.metering.refused_items import keep_refused, written
from gradumen.usecases.metering.stored_readings import (
    ACCEPTED,
    KNOWN,
    REFUSED,
    Checked,
    Outcome,
    Unreadable,
    beside,
    known_already,
    number_resources,
    sift,
    write,
)
from gradumen.usecases.scope import Caller, Scope, load_scope

Owned = tuple[tuple[datetime, bool], ...]
"""Whether a project was inside what a feed may write for, from moments on, in their order."""


Item = Reading | Told | Listing | Outcome
"""What a batch has: readings, what is all there, until when all has been told, and what could not be read."""


@dataclass(frozen=True, slots=True)
class DeliveryOutcome:
    """What became of a batch, item by item; as `gradumen.wire.metering.readings.DeliveryOutcomeBody`."""

    delivery_id: UUID
    accepted: int
    known: int
    refused: int
    outcomes: list[Outcome]


@use_case
def send_readings(tx: Session, caller: Caller, *, feed: str, items: Sequence[Item]) -> DeliveryOutcome:
    """Take a batch of one feed; each item is accepted, already known, or refused with a reason.

    Args:
        items: readings, until when all has been told, and outcomes of those that could not even be read.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may see the feed but not send to it.
    """
    scope = load_scope(tx, caller)
    row = feed_to_send(tx, scope, feed)
    delivery = new_delivery(tx, caller, row)
    found = take(tx, scope, row, delivery, items)
    return DeliveryOutcome(delivery.public_id, delivery.accepted, delivery.known, delivery.refused, found)


def new_delivery(tx: Session, caller: Caller, feed: FeedRow, **more: object) -> DeliveryRow:
    """A delivery of a feed that has brought nothing yet."""
    counts = {"accepted": 0, "known": 0, "refused": 0}
    row = DeliveryRow(
        public_id=uuid4(), feed_id=feed.id, sent_by=caller.somebody, received_at=caller.at, **counts, **more
    )
    tx.add(row)
    tx.flush()
    return row


def take(
    tx: Session, scope: Scope, feed: FeedRow, delivery: DeliveryRow, items: Sequence[Item], first: int = 0
) -> list[Outcome]:
    """Take items into a delivery that the caller may make; gives what became of each, in their order.

    Args:
        first: the place of the first of them in the delivery.
    """
    at = scope.caller.at
    outcomes = {
        index: Outcome(item.id, item.status, item.reason, item.field)
        for index, item in enumerate(items, first)
        if isinstance(item, Outcome)
    }
    read = [(index, item) for index, item in enumerate(items, first) if isinstance(item, Reading)]
    known_already(tx, feed.id, read, outcomes)
    listings = Listings(tx, feed, items, first, outcomes, scope.now)
    checked = listings.whole(_check(tx, scope, feed, items, listings.readings, outcomes, first), outcomes)
    number_resources(tx, feed, checked)
    fresh = sift(tx, delivery.id, checked, outcomes, at)
    write(tx, delivery.id, fresh, at)
    for each in fresh:
        outcomes[each.index] = accepted(each)
    listings.keep(delivery.id, outcomes, at)
    held = [(each.reading.source, each.reading.start) for each in fresh if each.reading.start == each.reading.end]
    told = [*_told(scope, items, outcomes, first), *listings.told, *held]
    raise_watermarks(tx, feed.id, full_hours(told))
    found = [outcomes[index] for index in range(first, first + len(items))]
    keep_refused(tx, delivery, first, items, found, at)
    counts = Counter(each.status for each in found)
    delivery.accepted += counts[ACCEPTED]
    delivery.known += counts[KNOWN]
    delivery.refused += counts[REFUSED]
    if delivery.first_refusal is None:
        refusals = (each.reason[:500] for each in found if each.reason and each.status == REFUSED)
        delivery.first_refusal = next(refusals, None)
    starts = [each.reading.start for each in fresh]
    if starts:
        delivery.first_at = min(starts) if delivery.first_at is None else min(delivery.first_at, *starts)
        delivery.last_at = max(starts) if delivery.last_at is None else max(delivery.last_at, *starts)
    return found


def _check(
    tx: Session,
    scope: Scope,
    feed: FeedRow,
    items: Sequence[Item],
    listed: Sequence[Reading],
    outcomes: dict[int, Outcome],
    first: int,
) -> list[Checked]:
    """Check items against catalogue, owners and clock; keep one item per id, the one with the highest sequence.

    Args:
        listed: what lists say, which is of the meter that they list; its places come after the items'.
    """
    new = [item for index, item in enumerate(items, first) if isinstance(item, Reading) and index not in outcomes]
    owners = _owners(tx, feed, [*new, *listed])
    published = load_published(tx)
    known = _Known(published, owners, scope.now, KindsOfFeed(tx, feed, published))
    checked: dict[bytes, Checked] = {}
    for index, item in enumerate((*items, *listed), first):
        if not isinstance(item, Reading) or index in outcomes:
            continue
        try:
            meter, quantity, kept = known.check(item, listed=index >= first + len(items))
        except Invalid as problem:
            outcomes[index] = Outcome(item.id, REFUSED, problem.message, problem.facts.get("field"))
            continue
        each = Checked(index, item, reading_key(str(feed.id), item.source, item.id), meter, quantity, kept)
        before = checked.get(each.key)
        if before is None or item.sequence > before.reading.sequence:
            checked[each.key] = each
            older = before
        else:
            older = each
        if older is not None:
            stands = checked[each.key].reading
            outcomes[older.index] = beside(older, stands.content, stands.sequence)
    return list(checked.values())


class _Known:
    """What readings are checked against; what was found right once is not looked at again."""

    def __init__(self, published: Published, owners: Mapping[str, Owned], now: datetime, kinds: KindsOfFeed) -> None:
        self.published, self.owners, self.now, self.kinds = published, owners, now, kinds
        self.meters: dict[tuple[str, str | None, Attributes], Meter] = {}
        self.quantities: dict[tuple[Decimal, str, str], str] = {}

    def check(self, item: Reading, *, listed: bool) -> tuple[int, str, Kept | None]:
        """The number of a reading's meter, its quantity in that meter's base unit, and its kind where it names none.

        Raises:
            Invalid: attributes or owner are not known, it ends in the future, or the unit does not fit.
        """
        kept = None if listed else self.kinds.find(item)
        if kept is not None:
            check_now(item, self.now)
            self._check_owner(item)
            return kept.meter, kept.quantity, kept
        kind, amount = (item.meter, item.owner, item.attributes), (item.quantity, item.unit, item.meter)
        moved = item.owner is not None and len(self.owners.get(item.owner, ())) > 1
        if kind not in self.meters or item.end > self.now or moved:
            self.meters[kind] = self._meter(item)
        check_end(item, self.meters[kind])
        if amount not in self.quantities:
            self.quantities[amount] = text(base_quantity(item, self.meters[kind]))
        return self.published.meter_ids[item.meter], self.quantities[amount], None

    def _meter(self, item: Reading) -> Meter:
        meter = self.published.meters[item.meter]
        check_now(item, self.now)
        check_attributes(item.attributes, self.published.services[meter.slug.partition("/")[0]].told)
        self._check_owner(item)
        return meter

    def _check_owner(self, item: Reading) -> None:
        if item.owner is not None and item.owner not in self.owners:
            raise Invalid(
                f"owner '{item.owner}' is no project that this feed may write for; write organisation/project",
                field="owner",
            )
        if item.owner is not None and not _there(self.owners[item.owner], item.start):
            raise Invalid(
                f"owner '{item.owner}' is no project that this feed may write for on {item.start:%Y-%m-%d}: it has "
                "moved to another seller, or came later",
                field="owner",
            )


def accepted(each: Checked) -> Outcome:
    """The outcome of what was taken in; of unknown kind with the reason: nobody is charged for it until it has one."""
    if each.kept is None or each.kept.why is None:
        return Outcome(each.reading.id, ACCEPTED)
    why = f"{each.kept.why.message}: kept as of unknown kind, and not charged until a rule says what it is"
    return Outcome(each.reading.id, ACCEPTED, why, each.kept.why.facts.get("field"))


def _told(
    scope: Scope, items: Sequence[Item], outcomes: dict[int, Outcome], first: int
) -> Iterator[tuple[str, datetime]]:
    """Until when sources say that they have told all."""
    for index, item in enumerate(items, first):
        if not isinstance(item, Told):
            continue
        try:
            check_told(item, scope.now)
        except Invalid as problem:
            outcomes[index] = Outcome(item.id, REFUSED, problem.message, problem.facts.get("field"))
        else:
            outcomes[index] = Outcome(item.id, ACCEPTED)
            yield item.source, item.until


def _there(owned: Owned, at: datetime) -> bool:
    """Whether it was inside at a moment: a reading belongs to where its owner was when it started."""
    return next((there for since, there in reversed(owned) if since <= at), owned[0][1])


def _owners(tx: Session, feed: FeedRow, items: Sequence[Reading]) -> dict[str, Owned]:
    """The projects, by path, that are or were inside what the feed's organisation sells to or is, and when."""
    projects = projects_by_path(tx, {item.owner for item in items if item.owner})
    if not projects:
        return {}
    trees = trees_between(tx, min(item.start for item in items), max(item.start for item in items))
    inside = [(since, tree.below([feed.organisation_id])) for since, tree in trees]
    found: dict[str, Owned] = {}
    for path, project in projects.items():
        spells = tuple((since, project.organisation_id in below) for since, below in inside)
        if any(there for _, there in spells):
            found[path] = spells
    return found


def unreadable(identity: object, problem: GradumenError, sent: object = None) -> Unreadable:
    """The outcome of an item that could not be read, of which something was ``sent``."""
    named = whole_text(str(identity)[:191]) if identity else ""
    told = None if sent is None else whole_text(written(sent))
    return Unreadable(named, REFUSED, problem.message, problem.facts.get("field"), told)
