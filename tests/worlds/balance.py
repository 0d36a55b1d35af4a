"""Whether all usage of what was sold is charged, covered, without price or without subscription: by meter, and by part."""

from collections import defaultdict
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, scaled
from gradumen.core.metering.packed_days import unpack
from gradumen.core.periods import Period, hour_number, zone_of
from gradumen.store.catalogue.tables import MeterRow, ServiceRow
from gradumen.store.metering.imported_costs import CostDayRow
from gradumen.store.metering.tables import UsageDayRow
from gradumen.store.organisations.tables import ProjectRow, load_tree, zone_name
from gradumen.store.pairs import PairRow
from gradumen.store.rating.tables import CurrentChargeRow, CurrentPartRow, NotPricedRow
from gradumen.store.unit_of_work import UnitOfWork

KINDS = ("per_unit", "stepped", "at_reached_step", "lots", "markup", "imported_cost")
"""Of charges for what was used, as it adds up."""
EPOCH = datetime(1970, 1, 1, tzinfo=UTC).date()
Sums = dict[tuple[UUID, str, str], int]
"""Millionths of base units by seller, month of its clocks, and meter."""


def unbalanced(uow: UnitOfWork) -> dict[str, Any]:
    """Where usage of buyers is not what was charged of it and what was not priced, by the whole and by part.

    For months within which nobody moves.
    """
    with Session(uow.engine) as tx:
        pairs = [pair for pair in tx.scalars(select(PairRow)) if pair.buyer_id != pair.seller_id]
        months = {(pair.seller_id, pair.period) for pair in pairs}
        used = _used(tx, months)
        whole, by_part = _told(tx, pairs)
        return {
            f"{seller} {period} {meter}": told
            for seller, period, meter in used.keys() | whole.keys() | by_part.keys()
            if len(set(told := [sums.get((seller, period, meter), 0) for sums in (used, whole, by_part)])) > 1
        }


def _used(tx: Session, months: set[tuple[UUID, str]]) -> Sums:
    owners = dict(tx.execute(select(MeterRow.id, ServiceRow.organisation_id).join(ServiceRow)).all())
    meters = dict(tx.execute(select(MeterRow.id, MeterRow.slug)).all())
    days = tx.execute(
        select(
            UsageDayRow.meter_id, UsageDayRow.day, UsageDayRow.hours, UsageDayRow.slots, ProjectRow.organisation_id
        ).join(ProjectRow, ProjectRow.number == UsageDayRow.project_number)
    ).all()
    costs = tx.execute(
        select(CostDayRow, ProjectRow.organisation_id)
        .join(ProjectRow, ProjectRow.number == CostDayRow.project_number)
        .where(CostDayRow.category != "Tax")
    ).all()
    found: Sums = defaultdict(int)
    for seller, period in months:
        month = Period.parse(period)
        zone = zone_of(zone_name(tx, seller, month.first_day))
        start, end = month.bounds(zone)
        tree = load_tree(tx, end - timedelta(seconds=1))
        for meter, day, hours, slots, organisation in days:
            chain = tree.chain(organisation)
            bought = seller in chain and organisation != seller and owners[meter] in tree.chain(seller)
            if bought and start.date() - timedelta(days=2) <= day <= end.date() + timedelta(days=2):
                inside = unpack([(day - EPOCH).days], [hours], [slots], zone)
                inside = inside.within(hour_number(start, zone), hour_number(end, zone))
                found[seller, period, meters[meter]] += sum(inside.quantity.to_list())
        for cost, organisation in costs:
            chain = tree.chain(organisation)
            bought = seller in chain and organisation != seller and owners[cost.meter_id] in tree.chain(seller)
            if bought and f"{cost.month:%Y-%m}" == period:
                billed = cost.billed if cost.sold_billed is None else cost.sold_billed
                found[seller, period, meters[cost.meter_id]] += scaled(billed, AMOUNT_PLACES)
    return found


def _told(tx: Session, pairs: list[PairRow]) -> tuple[Sums, Sums]:
    """What charges and usage without price come to, and what the parts of charges and that come to."""
    whole: Sums = defaultdict(int)
    by_part: Sums = defaultdict(int)
    for pair in pairs:
        for row in _rows(tx, NotPricedRow, pair):
            for sums in (whole, by_part):
                sums[pair.seller_id, pair.period, row.meter] += scaled(row.quantity, QUANTITY_PLACES)
        charges = {row.position: row for row in _rows(tx, CurrentChargeRow, pair) if row.kind in KINDS}
        for row in charges.values():
            whole[pair.seller_id, pair.period, str(row.meter)] += scaled(row.quantity, QUANTITY_PLACES)
        for part in _rows(tx, CurrentPartRow, pair):
            if part.charge_position in charges:
                meter = str(charges[part.charge_position].meter)
                by_part[pair.seller_id, pair.period, meter] += scaled(part.quantity, QUANTITY_PLACES)
    return whole, by_part


def _rows(tx: Session, table: Any, pair: PairRow) -> list[Any]:
    return list(tx.scalars(select(table).where(table.pair_id == pair.id, table.generation == pair.generation)))
