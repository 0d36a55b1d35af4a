"""What cost files state, kept in sets of a billing account and day: staged batch by batch, then counting at once."""

import hashlib
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import polars as pl

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import AMOUNT_PLACES, add, figure
from gradumen.core.metering.cost_frames import CostFrame
from gradumen.core.metering.imported_costs import EARLIEST, CostFacts, SetSize
from gradumen.store.bulk import decimal_text, escaped, load_rows
from gradumen.store.metering import cost_exports as exports
from gradumen.store.metering import imported_costs as store
from gradumen.store.metering.cost_exports import CostExportRow, StagedSum
from gradumen.store.metering.imported_costs import CostSetRow
from gradumen.store.metering.readings import Origin, number_resources
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.stored_readings import attribute_sets_of, number_origins
from gradumen.wire.metering.imported_costs import CostDeliveryBody, CostTotalBody

MOST_DAYS = 400
"""Days that one file may state of a billing account."""
DAY = timedelta(days=1)
_TOLD = ("category", "correction", "commitment", "currency", "unit", "invoice")
NOTHING = pl.DataFrame(
    schema={
        "account": pl.String,
        **dict.fromkeys(("resource_id", "origin_id", "attribute_set_id"), pl.Int64),
        "category": pl.String,
        "correction": pl.Int8,
        "commitment": pl.Int8,
        **dict.fromkeys(("currency", "unit", "invoice"), pl.String),
    }
)
"""Numbers of what no row has said yet."""
_NUMBERS = ("billed", "effective", "listed", "contracted", "quantity")


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


def export_time(stated: datetime | None, now: datetime) -> datetime:
    """When a file was written; a time without a zone is of UTC.

    Raises:
        Invalid: it has not come yet, or is before all files.
    """
    exported = stated or now
    # Before it is brought to UTC: what is at the end of all time has no other zone.
    if not EARLIEST <= exported.date() <= now.date() + DAY:
        told = f"exported_at {exported.date()} is before {EARLIEST}, or has not come yet"
        raise Invalid(told, field="exported_at", value=exported.isoformat())
    exported = exported.replace(tzinfo=UTC) if exported.tzinfo is None else exported.astimezone(UTC)
    if exported > now + timedelta(minutes=5):
        told = f"exported_at {exported:%Y-%m-%d %H:%M} has not come yet"
        raise Invalid(told, field="exported_at", value=exported.isoformat())
    return exported


def new_export(tx: Session, feed: int, stated: Stated, now: datetime, at: datetime, parts: int = 1) -> CostExportRow:
    """An export that nothing has come of yet.

    Raises:
        Invalid: as `export_time`.
    """
    revision = export_time(stated.exported_at, now)
    export = CostExportRow(
        feed_id=feed, revision=revision, parts=parts, first=stated.first, last=stated.last, made_at=at
    )
    tx.add(export)
    tx.flush()
    return export


def stage(tx: Session, export: CostExportRow, position: int, frame: CostFrame, known: pl.DataFrame) -> pl.DataFrame:
    """Keep rows of an export that is held, without any effect yet; gives ``known`` for the frame after.

    Args:
        position: of the first of them in their sets.
        known: the numbers of what the frames before said, `NOTHING` for the first.
    """
    known = pl.concat([known, _numbered(tx, export.feed_id, frame.facts)], rechunk=True)
    rows = pl.concat([frame.rows, known[frame.rows["fact"]]], how="horizontal")
    rows = rows.with_columns((pl.int_range(pl.len()) + position).alias("position"))
    sets = exports.staged_sets(tx, export, rows.select("account", "day").unique().rows())
    numbers = pl.DataFrame(
        [(*key, number) for key, number in sets.items()],
        schema={"account": pl.String, "day": pl.Date, "set_id": pl.Int64},
        orient="row",
    )
    rows = rows.join(numbers, on=["account", "day"], how="left").sort("set_id", "position")
    amounts = [decimal_text(each, AMOUNT_PLACES) for each in _NUMBERS]
    placed = ("set_id", "position", "month", "begins", "lasts", "resource_id", "origin_id", "attribute_set_id")
    load_rows(tx, "cost_rows", rows.select(*placed, *_TOLD, *amounts))
    return known


def _numbered(tx: Session, feed: int, facts: Sequence[CostFacts]) -> pl.DataFrame:
    """What rows say beside times and numbers, as it is kept."""
    resources = number_resources(tx, feed, {each.resource for each in facts})
    sets = attribute_sets_of(tx, {each.attributes for each in facts})
    numbers = number_origins(tx, {Origin(each.source, each.account, None) for each in facts})
    origins = {origin[:2]: number for origin, number in numbers.items()}
    rows = [
        (
            each.billing_account, resources[each.resource], origins[each.source, each.account], sets[each.attributes],
            str(each.category), int(each.correction), int(each.commitment), each.currency,
            each.unit and escaped(each.unit), each.invoice and escaped(each.invoice),
        )
        for each in facts
    ]  # fmt: skip
    return pl.DataFrame(rows, schema=NOTHING.schema, orient="row")


def settle(
    tx: Session, export: CostExportRow, delivery: DeliveryRow, *, confirmed: bool, at: datetime
) -> CostDeliveryBody:
    """Let an export count that is held, and whose feed is: of each billing account and day in the place of what was.

    A later statement that is there already stands.

    Raises:
        Invalid: its days do not fit what it states.
        Conflict: more than half of a day would be gone and nobody confirmed that, or two files are of one moment.
    """
    sets, sums = exports.staged(tx, export.id)
    unread = at if tx.get_one(FeedRow, export.feed_id).reads_quantities else None
    by_set: dict[int, list[StagedSum]] = defaultdict(list)
    for each in sums:
        by_set[each.set_id].append(each)
    days = replaced = older = estimated = 0
    taken: list[StagedSum] = []
    for account, by_day in _accounts(tx, sets.values(), by_set):
        first, last = _range(export, account, by_day)
        standing = store.standing_sets(tx, export.feed_id, account, first, last)
        for day in (first + DAY * number for number in range((last - first).days + 1)):
            days += 1
            before, made = standing.get(day), by_day.get(day) or exports.add_set(tx, export, account, day)
            size = _size(by_set.get(made.id, ()))
            # An older statement is kept: it stands once the later one is taken back.
            late = before is not None and before.revision > export.revision
            if late:
                older += 1
                delivery.known += size.rows
            elif before is not None:
                if before.estimated_from is None:
                    _check_replaced(before, size, export.revision, confirmed=confirmed)
                    replaced += 1
                else:
                    estimated += 1
                before.is_current = None
                tx.flush()
            made.delivery_id, made.rows, made.weight = delivery.id, size.rows, size.weight
            if not late:
                made.is_current, made.stale_since, made.unread_since = True, at, unread
                taken += by_set.get(made.id, ())
    delivery.accepted = sum(each.rows for each in taken)
    export.delivery_id = delivery.id
    tx.flush()
    return told(delivery, taken, days, replaced, older, estimated, again=False)


def _accounts(
    tx: Session, sets: Iterable[CostSetRow], by_set: Mapping[int, Sequence[StagedSum]]
) -> Iterator[tuple[str, dict[date, CostSetRow]]]:
    """Billing accounts with their staged sets by day; a set without rows is of a file that was given up."""
    found: dict[str, dict[date, CostSetRow]] = defaultdict(dict)
    for each in sets:
        if each.id in by_set:
            found[each.account][each.day] = each
        else:
            tx.delete(each)
    tx.flush()
    for account in sorted(found):
        yield account, found[account]


def _range(export: CostExportRow, account: str, by_day: Mapping[date, object]) -> tuple[date, date]:
    """The first and last day that an export states of a billing account."""
    first, last = export.first or min(by_day), export.last or max(by_day)
    outside = [day for day in by_day if not first <= day <= last]
    if outside:
        raise Invalid(
            f"a row of {account} is of {min(outside)}, outside of what the file states: {first} to {last}",
            field="first",
            value=min(outside),
        )
    if not 0 <= (last - first).days < MOST_DAYS:
        raise Invalid(f"a file states at most {MOST_DAYS} days; send it in parts", field="last", value=last)
    return first, last


def _size(sums: Sequence[StagedSum]) -> SetSize:
    return SetSize(sum(each.rows for each in sums), add([each.weight for each in sums]))


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


def told(
    row: DeliveryRow, sums: Sequence[StagedSum], days: int, replaced: int, older: int, estimated: int, *, again: bool
) -> CostDeliveryBody:
    """What became of a file or an export, as it is told."""
    by_currency: dict[str, list[StagedSum]] = defaultdict(list)
    for each in sums:
        by_currency[each.currency].append(each)
    return CostDeliveryBody(
        delivery_id=row.public_id,
        file=row.file_name or "",
        rows=sum(each.rows for each in sums),
        days=days,
        replaced=replaced,
        older=older,
        estimated=estimated,
        totals=[
            CostTotalBody(
                currency=currency,
                billed=add([each.billed for each in of_it]),
                effective=add([each.effective for each in of_it]),
                rows=sum(each.rows for each in of_it),
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
        if each.was_read:
            each.unread_since = at
        tx.flush()
        before = store.next_best(tx, (each.feed_id, each.account, each.day), each.id)
        while before is not None and before.estimated_from and not tx.get_one(FeedRow, each.feed_id).estimates_costs:
            # Of a feed that asks for estimates no more none comes back.
            tx.get_one(DeliveryRow, before.delivery_id).taken_back_by = delivery.taken_back_by
            tx.flush()
            before = store.next_best(tx, (each.feed_id, each.account, each.day), each.id)
        if before is not None:
            before.is_current = True
            tx.flush()
    return count
