"""Costs that suppliers' files state: what a file brings or what it takes the place of, and what a month cost whom."""

import hashlib
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import MINOR_UNITS, add, figure
from gradumen.core.metering.imported_costs import AHEAD, EARLIEST, CostCategory, CostRow, SetSize
from gradumen.core.metering.readings import hash_of
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.metering import imported_costs as store
from gradumen.store.metering.deliveries import lock_feed, same_file
from gradumen.store.metering.imported_costs import CostSetRow
from gradumen.store.metering.readings import number_origins, number_resources
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.feeds import feed_to_send, get_feed
from gradumen.usecases.metering.readings import new_delivery
from gradumen.usecases.metering.stored_readings import attribute_sets_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.imported_costs import (
    CostDeliveryBody,
    CostMeterBody,
    CostTotalBody,
    ImportedCostBody,
)

MOST_DAYS = 400
"""Days that one file may state of a billing account."""
BATCH = 20_000
DAY = timedelta(days=1)


@use_case
def get_cost_meter(tx: Session, caller: Caller, *, feed: str) -> CostMeterBody:
    """The meter that a feed's cost files state costs of; for its organisation's members and those who may send to it.

    Raises:
        NotFound: no such feed in scope.
    """
    row, owner = get_feed(tx, load_scope(tx, caller), feed)
    return _meter_view(tx, row, f"{owner.slug}/{row.slug}")


@use_case
def set_cost_meter(tx: Session, caller: Caller, *, feed: str, meter: str | None) -> CostMeterBody:
    """Say which meter a feed's cost files state costs of. The same again changes nothing.

    Raises:
        Forbidden: the caller does not manage the feed.
        Invalid: nobody publishes that meter, or it counts no currency.
        Conflict: costs of another meter came in by it already.
    """
    scope = load_scope(tx, caller)
    found, owner = get_feed(tx, scope, feed)
    scope.require(Right.MANAGE_FEEDS, owner)
    row, path = lock_feed(tx, found.id), f"{owner.slug}/{found.slug}"
    published = load_published(tx)
    number = None
    if meter is not None:
        known = published.meters.get(meter)
        if known is None or known.combine is not Combine.SUM or known.unit.dimensions[0] not in MINOR_UNITS:
            raise Invalid(
                f"meter '{meter[:60]}' is none that adds up a currency; publish a service with one, of unit micro-EUR",
                field="meter",
                value=meter,
            )
        number = published.meter_ids[meter]
    before = _meter_view(tx, row, path)
    if row.cost_meter_id not in (None, number) and store.has_sets(tx, row.id):
        raise Conflict(f"costs of {before.meter} came in by '{path}'; make another feed for another meter")
    row.cost_meter_id = number
    tx.flush()
    after = _meter_view(tx, row, path)
    if before != after:
        was, now = {"meter": before.meter}, {"meter": after.meter}
        record(tx, caller, "cost meter set", owner.id, path, before=was, after=now)
    return after


def _meter_view(tx: Session, row: FeedRow, path: str) -> CostMeterBody:
    published = load_published(tx)
    slugs = {number: slug for slug, number in published.meter_ids.items()}
    meter = slugs.get(row.cost_meter_id) if row.cost_meter_id else None
    return CostMeterBody(feed=path, meter=meter, currency=published.meters[meter].unit.dimensions[0] if meter else None)


@use_case
def before_costs(
    tx: Session, caller: Caller, *, feed: str, content_hash: bytes
) -> tuple[date, CostDeliveryBody | None]:
    """The last day on which a charge of a file may begin, which the caller may send; and what became of it, if it came.

    Raises:
        NotFound, Forbidden: as `feed_to_send`.
        Conflict: nobody said which meter its costs are of.
    """
    scope = load_scope(tx, caller)
    row = feed_to_send(tx, scope, feed)
    _require_meter(row, feed)
    again = same_file(tx, row.id, content_hash)
    return (scope.now + AHEAD).date(), None if again is None else _told(again, [], 0, 0, 0, again=True)


def _require_meter(row: FeedRow, path: str) -> None:
    if row.cost_meter_id is None:
        raise Conflict(f"nobody has said yet which meter the costs of '{path}' are of; say that of the feed first")


@dataclass(frozen=True, slots=True)
class Stated:
    """What a file is beside its rows; see `gradumen.wire.metering.imported_costs.CostFileSent`."""

    name: str
    content_hash: bytes
    exported_at: datetime | None
    first: date | None
    last: date | None
    confirmed: bool

    @classmethod
    def of(
        cls,
        name: str,
        content: bytes,
        exported_at: datetime | None,
        *,
        first: date | None = None,
        last: date | None = None,
        confirmed: bool = False,
    ) -> "Stated":
        """A file by its content: what it states is more than its rows."""
        told = f"{exported_at} {first} {last}".encode()
        known_by = hashlib.sha256(b"costs\x1f" + content + b"\x1f" + told).digest()[:16]
        return cls(name, known_by, exported_at, first, last, confirmed)


@use_case
def send_costs(tx: Session, caller: Caller, *, feed: str, stated: Stated, rows: Sequence[CostRow]) -> CostDeliveryBody:
    """Take a cost file whole: what it states of each billing account and day takes the place of what was there.

    A later statement that is there already stands. The same file again changes nothing.

    Raises:
        NotFound, Forbidden, Conflict: as `before_costs`.
        Invalid: its days do not fit what it states.
        Conflict: more than half of a day would be gone and nobody confirmed that, or two files are of one moment.
    """
    scope = load_scope(tx, caller)
    row = lock_feed(tx, feed_to_send(tx, scope, feed).id)
    _require_meter(row, feed)
    return take_costs(tx, scope, row, stated, rows)


def take_costs(tx: Session, scope: Scope, row: FeedRow, stated: Stated, rows: Sequence[CostRow]) -> CostDeliveryBody:
    """As `send_costs`, for a feed that is locked."""
    again = same_file(tx, row.id, stated.content_hash)
    if again is not None:
        return _told(again, [], 0, 0, 0, again=True)
    exported = _exported(stated, scope.now)
    delivery = new_delivery(tx, scope.caller, row, file_name=stated.name, content_hash=stated.content_hash)
    fresh: list[tuple[CostSetRow, list[CostRow]]] = []
    days = replaced = older = 0
    for account, first, last, by_day in _stated(rows, stated):
        standing = store.standing_sets(tx, row.id, account, first, last)
        for day in (first + DAY * number for number in range((last - first).days + 1)):
            days += 1
            before, there = standing.get(day), by_day.get(day, [])
            size = SetSize(len(there), add([abs(each.billed) for each in there]))
            # An older statement is kept: it stands once the later one is taken back.
            late = before is not None and before.revision > exported
            if late:
                older += 1
                delivery.known += len(there)
            elif before is not None:
                replaced += 1
                _check_replaced(before, size, exported, confirmed=stated.confirmed)
                before.is_current = None
                tx.flush()
            made = CostSetRow(
                feed_id=row.id, account=account, day=day, revision=exported, delivery_id=delivery.id,
                is_current=None if late else True, stale_since=None if late else scope.caller.at, rows=size.rows,
                weight=size.weight,
            )  # fmt: skip
            tx.add(made)
            fresh.append((made, there))
    tx.flush()
    _write(tx, row, fresh)
    taken = [each for made, there in fresh if made.is_current for each in there]
    delivery.accepted = len(taken)
    tx.flush()
    return _told(delivery, taken, days, replaced, older, again=False)


def _exported(stated: Stated, now: datetime) -> datetime:
    """When a file was written; a time without a zone is of UTC."""
    exported = stated.exported_at or now
    # Before it is brought to UTC: what is at the end of all time has no other zone.
    if not EARLIEST <= exported.date() <= now.date() + DAY:
        told = f"exported_at {exported.date()} is before {EARLIEST}, or has not come yet"
        raise Invalid(told, field="exported_at", value=exported.isoformat())
    exported = exported.replace(tzinfo=UTC) if exported.tzinfo is None else exported.astimezone(UTC)
    if exported > now + timedelta(minutes=5):
        told = f"exported_at {exported:%Y-%m-%d %H:%M} has not come yet"
        raise Invalid(told, field="exported_at", value=exported.isoformat())
    return exported


def _stated(rows: Sequence[CostRow], stated: Stated) -> Iterator[tuple[str, date, date, dict[date, list[CostRow]]]]:
    """Billing accounts with the first and last day that the file states of each, and its rows by day."""
    found: dict[str, dict[date, list[CostRow]]] = defaultdict(lambda: defaultdict(list))
    for each in rows:
        found[each.billing_account][each.day].append(each)
    for account in sorted(found):
        by_day = found[account]
        first, last = stated.first or min(by_day), stated.last or max(by_day)
        outside = [day for day in by_day if not first <= day <= last]
        if outside:
            raise Invalid(
                f"a row of {account} is of {min(outside)}, outside of what the file states: {first} to {last}",
                field="first",
                value=min(outside),
            )
        if not 0 <= (last - first).days < MOST_DAYS:
            raise Invalid(f"a file states at most {MOST_DAYS} days; send it in parts", field="last", value=last)
        yield account, first, last, by_day


def _check_replaced(before: CostSetRow, after: SetSize, exported: datetime, *, confirmed: bool) -> None:
    if before.revision == exported:
        raise Conflict(
            f"{before.account} on {before.day} was stated by another file of the same moment, "
            f"{exported:%Y-%m-%d %H:%M}; say when each was exported",
            field="exported_at",
        )
    if not confirmed and after.loses_half_of(SetSize(before.rows, before.weight)):
        raise Conflict(
            f"{before.account} on {before.day} had {before.rows} rows and costs of {figure(before.weight)}, and would "
            f"have {after.rows} and {figure(after.weight)}; confirm that, if it is right",
            field="confirmed",
        )


def _write(tx: Session, feed: FeedRow, fresh: Sequence[tuple[CostSetRow, Sequence[CostRow]]]) -> None:
    rows = [each for _, there in fresh for each in there]
    resources = number_resources(tx, feed.id, {each.resource for each in rows})
    sets = attribute_sets_of(tx, {each.attributes for each in rows})
    named = {hash_of(each.source, each.account, ""): (each.source, each.account, None) for each in rows}
    numbers = number_origins(tx, named)
    origins = {named[digest][:2]: number for digest, number in numbers.items()}
    lines = [
        (
            made.id, position, each.month, resources[each.resource], origins[each.source, each.account],
            sets[each.attributes], str(each.category), each.correction, each.commitment, each.currency, each.billed,
            each.effective, each.listed, each.contracted, each.quantity, each.unit, each.invoice,
        )
        for made, there in fresh
        for position, each in enumerate(there)
    ]  # fmt: skip
    for first in range(0, len(lines), BATCH):
        store.add_rows(tx, lines[first : first + BATCH])


def _told(
    row: DeliveryRow, rows: Sequence[CostRow], days: int, replaced: int, older: int, *, again: bool
) -> CostDeliveryBody:
    by_currency: dict[str, list[CostRow]] = defaultdict(list)
    for each in rows:
        by_currency[each.currency].append(each)
    return CostDeliveryBody(
        delivery_id=row.public_id,
        file=row.file_name or "",
        rows=len(rows),
        days=days,
        replaced=replaced,
        older=older,
        totals=[
            CostTotalBody(
                currency=currency,
                billed=add([each.billed for each in of_it]),
                effective=add([each.effective for each in of_it]),
                rows=len(of_it),
            )
            for currency, of_it in sorted(by_currency.items())
        ],
        again=again,
    )


def take_back_costs(tx: Session, delivery: DeliveryRow, at: datetime) -> int:
    """Let what a delivery stated stand no more, and what stood before it instead; gives how many rows that were."""
    count = 0
    for each in store.sets_of_delivery(tx, delivery.id):
        if each.is_current is None:
            continue
        count += each.rows
        each.is_current, each.stale_since = None, at
        tx.flush()
        before = store.next_best(tx, (each.feed_id, each.account, each.day), each.id)
        if before is not None:
            before.is_current = True
            tx.flush()
    return count


@use_case
def list_imported_costs(tx: Session, caller: Caller, *, organisation: str, period: str) -> list[ImportedCostBody]:
    """What a seller's cost files say that one of the source's months cost: what is nobody's first.

    Raises:
        Forbidden: the caller is no member of it who may read money.
        Invalid: a month that cannot be.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, owner)
    month = Period.parse(period)
    found = store.sums_of_month(tx, owner.id, date(month.year, month.month, 1))
    return [
        ImportedCostBody(
            feed=f"{owner.slug}/{each.feed}",
            billing_account=each.billing_account,
            account=each.account,
            category=each.category,
            owner=each.owner,
            currency=each.currency,
            billed=each.billed,
            effective=each.effective,
            converted=bool(each.converted),
            rows=int(each.rows),
            first=each.first,
            last=each.last,
        )
        for each in sorted(found, key=lambda each: (each.category == CostCategory.TAX, each.owner is not None))
    ]
