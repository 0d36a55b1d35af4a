"""Costs that suppliers' files state: what a file brings or what it takes the place of, and what a month cost whom."""

from collections.abc import Sequence
from datetime import date

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import MINOR_UNITS
from gradumen.core.metering.cost_frames import CostFrame
from gradumen.core.metering.imported_costs import AHEAD, CostCategory
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.metering import imported_costs as store
from gradumen.store.metering.cost_exports import CostExportRow
from gradumen.store.metering.cost_quantities import read_all_again, rows_without_times
from gradumen.store.metering.deliveries import lock_feed, same_file
from gradumen.store.metering.tables import FeedRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.cost_estimates import stop_estimating
from gradumen.usecases.metering.cost_sets import NOTHING, Stated, new_export, settle, stage, told
from gradumen.usecases.metering.feeds import feed_to_send, get_feed
from gradumen.usecases.metering.readings import new_delivery
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.imported_costs import CostDeliveryBody, CostMeterBody, ImportedCostBody


@use_case
def get_cost_meter(tx: Session, caller: Caller, *, feed: str) -> CostMeterBody:
    """The meter that a feed's cost files state costs of; for its organisation's members and those who may send to it.

    Raises:
        NotFound: no such feed in scope.
    """
    row, owner = get_feed(tx, load_scope(tx, caller), feed)
    return _meter_view(tx, row, f"{owner.slug}/{row.slug}")


@use_case
def set_cost_meter(
    tx: Session,
    caller: Caller,
    *,
    feed: str,
    meter: str | None,
    quantities: bool | None = None,
    estimates: bool | None = None,
) -> CostMeterBody:
    """Say which meter a feed's cost files state costs of. The same again changes nothing.

    Args:
        quantities: whether what they say was used counts as usage too; None leaves that as it is.
        estimates: whether what they do not state yet is estimated; None leaves that as it is, too.

    Raises:
        Forbidden: the caller does not manage the feed.
        Invalid: nobody publishes that meter, or it counts no currency; or quantities are to count, or costs to be
            estimated, without one.
        Conflict: costs of another meter came in by it already.
    """
    scope = load_scope(tx, caller)
    found, owner = get_feed(tx, scope, feed)
    scope.require(Right.MANAGE_FEEDS, owner)
    row, path = lock_feed(tx, found.id), f"{owner.slug}/{found.slug}"
    published = load_published(tx)
    number = None
    for name, asked in (("quantities", quantities), ("estimates", estimates)):
        if meter is None and asked:
            raise Invalid(f"say first which meter the costs are of that cost files of '{path}' state", field=name)
    if meter is not None:
        number = _number_of(published, meter)
    before = _meter_view(tx, row, path)
    if row.cost_meter_id not in (None, number) and store.has_sets(tx, row.id):
        raise Conflict(f"costs of {before.meter} came in by '{path}'; make another feed for another meter")
    row.cost_meter_id = number
    reads, without_times = number is not None and (row.reads_quantities if quantities is None else quantities), 0
    if reads != row.reads_quantities:
        row.reads_quantities = reads
        read_all_again(tx, row.id, caller.at)
        without_times = rows_without_times(tx, row.id) if reads else 0
    row.estimates_costs = number is not None and (row.estimates_costs if estimates is None else estimates)
    if not row.estimates_costs:
        stop_estimating(tx, row, caller.at)
    tx.flush()
    after = _meter_view(tx, row, path, without_times)
    if before != after:
        told_of = {"meter", "quantities", "estimates"}
        was, now = (each.model_dump(include=told_of) for each in (before, after))
        record(tx, caller, "cost meter set", owner.id, path, before=was, after=now)
    return after


def _number_of(published: Published, meter: str) -> int:
    """The number of a meter of costs."""
    known = published.meters.get(meter)
    if known is None or known.combine is not Combine.SUM or known.unit.dimensions[0] not in MINOR_UNITS:
        raise Invalid(
            f"meter '{meter[:60]}' is none that adds up a currency; publish a service with one, of unit micro-EUR",
            field="meter",
            value=meter,
        )
    return published.meter_ids[meter]


def _meter_view(tx: Session, row: FeedRow, path: str, without_times: int = 0) -> CostMeterBody:
    published = load_published(tx)
    slugs = {number: slug for slug, number in published.meter_ids.items()}
    meter = slugs.get(row.cost_meter_id) if row.cost_meter_id else None
    return CostMeterBody(
        feed=path,
        meter=meter,
        currency=published.meters[meter].unit.dimensions[0] if meter else None,
        quantities=row.reads_quantities,
        estimates=row.estimates_costs,
        without_times=without_times,
    )


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
    require_meter(row, feed)
    again = same_file(tx, row.id, content_hash)
    return (scope.now + AHEAD).date(), None if again is None else told(again, [], 0, 0, 0, 0, again=True)


def require_meter(row: FeedRow, path: str) -> None:
    """Check that a feed takes cost files.

    Raises:
        Conflict: nobody said which meter its costs are of.
    """
    if row.cost_meter_id is None:
        raise Conflict(f"nobody has said yet which meter the costs of '{path}' are of; say that of the feed first")


@use_case
def send_costs(
    tx: Session, caller: Caller, *, feed: str, stated: Stated, frames: Sequence[CostFrame]
) -> CostDeliveryBody:
    """Take a cost file whole: what it states of each billing account and day takes the place of what was there.

    A later statement that is there already stands. The same file again changes nothing.

    Raises:
        NotFound, Forbidden, Conflict: as `before_costs`.
        Invalid: its days do not fit what it states.
        Conflict: more than half of a day would be gone and nobody confirmed that, or two files are of one moment.
    """
    scope = load_scope(tx, caller)
    row = lock_feed(tx, feed_to_send(tx, scope, feed).id)
    require_meter(row, feed)
    again = same_file(tx, row.id, stated.content_hash)
    if again is not None:
        return told(again, [], 0, 0, 0, 0, again=True)
    export = new_export(tx, row.id, stated, scope.now, caller.at)
    position, known = 0, NOTHING
    for each in frames:
        known = stage(tx, export, position, each, known)
        position += each.rows.height
    return take_export(tx, scope, row, stated, export)


def take_export(tx: Session, scope: Scope, row: FeedRow, stated: Stated, export: CostExportRow) -> CostDeliveryBody:
    """Let a file count whose rows are all there, of a feed that is locked."""
    delivery = new_delivery(tx, scope.caller, row, file_name=stated.name, content_hash=stated.content_hash)
    return settle(tx, export, delivery, confirmed=stated.confirmed, at=scope.caller.at)


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
            estimated=each.estimated,
            converted=bool(each.converted),
            rows=int(each.rows),
            first=each.first,
            last=each.last,
        )
        for each in sorted(found, key=lambda each: (each.category == CostCategory.TAX, each.owner is not None))
    ]
