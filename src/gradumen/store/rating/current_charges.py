"""Queries of charges kept current: a pair is leased, a generation written beside the one that holds, then named."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum
from typing import Any
from uuid import UUID

import polars as pl
from sqlalchemy import ColumnElement, bindparam, delete, func, insert, literal, or_, select, tuple_, update
from sqlalchemy.orm import Session

from gradumen.core.catalogue.rates import PROMISED
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES
from gradumen.store.bulk import decimal_text, load_rows
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow
from gradumen.store.metering.tables import DeliveryRow, StaleUsageRow
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.tables import ChargedTogetherRow, CurrentChargeRow, CurrentPartRow, NotPricedRow
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow

LEASE = timedelta(minutes=5)
TABLES = (CurrentChargeRow, CurrentPartRow, NotPricedRow, ChargedTogetherRow)
IS_PART = (
    (CurrentPartRow.pair_id == CurrentChargeRow.pair_id)
    & (CurrentPartRow.generation == CurrentChargeRow.generation)
    & (CurrentPartRow.charge_position == CurrentChargeRow.position)
)
"""Whether a part is one of a charge."""


@dataclass(frozen=True, slots=True)
class Begun:
    """An attempt to rate a pair: only the latest one's ``fence`` may store, as the generation of that number."""

    pair: int
    fence: int
    wanted: int
    buyer: UUID


@dataclass(frozen=True, slots=True)
class Attempt:
    """An attempt to rate pairs of one seller in one period; usage is made from deliveries up to ``delivery``."""

    seller: UUID
    period: str
    delivery: int
    begun: tuple[Begun, ...]


_LOCKED = (
    select(PairRow)
    .where(PairRow.id.in_(bindparam("pairs", expanding=True)))
    .order_by(PairRow.id)
    .with_for_update()
    .execution_options(populate_existing=True)
)
_OTHERS = [
    delete(table)
    .where(
        table.pair_id.in_(bindparam("pairs", expanding=True)),
        tuple_(table.pair_id, table.generation).not_in(bindparam("kept", expanding=True)),
    )
    .execution_options(synchronize_session=False)
    for table in TABLES
]
"""Removes all but some generations of pairs."""
_GENERATIONS = select(PairRow.id, PairRow.generation).where(PairRow.id.in_(bindparam("pairs", expanding=True)))


def begin_rating(tx: Session, pairs: Collection[int], at: datetime) -> Attempt:
    """Lease pairs of one seller and period; what is wanted of them is read before anything that they are rated from."""
    rows = list(tx.scalars(_LOCKED, {"pairs": [*pairs]}))
    for row in rows:
        row.fence += 1
        row.lease_until = at + LEASE
    newest = tx.scalar(select(func.max(DeliveryRow.id))) or 0
    begun = tuple(Begun(row.id, row.fence, row.wanted, row.buyer_id) for row in rows)
    return Attempt(rows[0].seller_id, rows[0].period, newest, begun)


def add_charges(
    tx: Session,
    charges: Sequence[dict[str, Any]],
    not_priced: Sequence[dict[str, Any]],
    together: Sequence[dict[str, Any]],
) -> None:
    """Add charges, what is not priced, and what is charged with others, of generations that do not hold yet."""
    for table, rows in ((CurrentChargeRow, charges), (NotPricedRow, not_priced), (ChargedTogetherRow, together)):
        if rows:
            tx.execute(insert(table), list(rows))


def add_parts(tx: Session, parts: pl.DataFrame) -> None:
    """Add parts of generations that do not hold yet; quantities in millionths, amounts in 10**-12."""
    texts = decimal_text("quantity", QUANTITY_PLACES), decimal_text("amount", AMOUNT_PLACES)
    load_rows(tx, "current_parts", parts.with_columns(*texts))


def name_generations(tx: Session, attempt: Attempt, at: datetime, rest: timedelta) -> int:
    """Let generations hold, where a pair was not begun again meanwhile; gives for how many.

    What was held before the last one goes; that one stays until the next rating, as somebody may be reading it.
    """
    wanted = {each.pair: each for each in attempt.begun}
    kept: list[tuple[int, int]] = []
    for row in tx.scalars(_LOCKED, {"pairs": [*wanted]}):
        begun = wanted[row.id]
        if row.fence != begun.fence:
            continue
        kept += [(row.id, row.generation), (row.id, begun.fence)]
        row.generation, row.rated, row.delivery_id = begun.fence, begun.wanted, attempt.delivery
        row.rated_at, row.not_before, row.lease_until, row.problem = at, at + rest, None, None
        row.stale_since = None if row.wanted == begun.wanted else at
    tx.flush()
    if kept:
        for statement in _OTHERS:
            tx.execute(statement, {"pairs": [*{pair for pair, _ in kept}], "kept": kept})
    return len(kept) // 2


def fail_rating(tx: Session, attempt: Attempt, problem: str, until: datetime) -> None:
    """Note why pairs could not be rated; they are tried again later."""
    for each in attempt.begun:
        tx.execute(
            update(PairRow)
            .where(PairRow.id == each.pair, PairRow.fence == each.fence)
            .values(problem=problem[:1000], not_before=until, lease_until=None)
        )


def is_packing(tx: Session) -> bool:
    """Whether usage of before is still being made again, so that nothing can be rated yet: its marks are the oldest."""
    return bool(tx.scalar(select(StaleUsageRow.quiet).order_by(StaleUsageRow.id).limit(1)))


def held(table: type[Any], pairs: Collection[PairRow]) -> ColumnElement[bool]:
    """Whether a row is of the generation that holds for one of some pairs."""
    return tuple_(table.pair_id, table.generation).in_([(pair.id, pair.generation) for pair in pairs])


def charges_of(tx: Session, pairs: Collection[PairRow], buyer: UUID | None = None) -> list[CurrentChargeRow]:
    """The charges that hold for pairs, in their order; of a seller with itself only those of one buyer's lines."""
    charge = CurrentChargeRow
    query = select(charge).where(held(charge, pairs)).order_by(charge.pair_id, charge.position)
    if buyer is not None:
        query = query.join(SupplyLineRow, SupplyLineRow.id == charge.supply_line_id)
        query = query.where(SupplyLineRow.buyer_id == buyer)
    return list(tx.scalars(query))


class Detail(StrEnum):
    """How far parts are told apart: by project alone (the day is its first), or by resource and day too."""

    PROJECT = "project"
    RESOURCE = "resource"


def parts_of(tx: Session, pairs: Collection[PairRow], detail: Detail) -> Sequence[Any]:
    """The parts of these charges, in their order: rows of pair, charge, project, resource, day, quantity, amount."""
    part = CurrentPartRow
    keys = (part.pair_id, part.charge_position, part.project_number)
    if detail is Detail.RESOURCE:
        query = select(*keys, part.resource_id, part.day, part.quantity, part.amount)
        query = query.order_by(part.pair_id, part.charge_position, part.position)
    else:
        none, day = literal(None).label("resource_id"), func.min(part.day).label("day")
        sums = func.sum(part.quantity).label("quantity"), func.sum(part.amount).label("amount")
        query = select(*keys, none, day, *sums).group_by(*keys)
        query = query.order_by(part.pair_id, part.charge_position, func.min(part.position))
    return tx.execute(query.where(held(part, pairs))).all()


def days_of(tx: Session, pairs: Collection[PairRow], lines: Collection[UUID]) -> Sequence[Any]:
    """What the charges of some supply lines that hold for pairs come to: rows of pair, card version, day, amount."""
    charge, part = CurrentChargeRow, CurrentPartRow
    keys = (charge.pair_id, charge.rate_card_version_id, part.day)
    query = select(*keys, func.sum(part.amount).label("amount")).join(charge, IS_PART).group_by(*keys)
    return tx.execute(query.where(held(part, pairs), charge.supply_line_id.in_(lines)).order_by(part.day)).all()


def estimated_of(tx: Session, pairs: Collection[PairRow]) -> dict[str, Decimal]:
    """What of what pairs are charged is for costs that no file states yet, by currency."""
    charge, card, version = CurrentChargeRow, RateCardRow, RateCardVersionRow
    query = select(card.currency, func.sum(charge.estimated)).group_by(card.currency)
    query = query.join(version, version.id == charge.rate_card_version_id).join(card, card.id == version.rate_card_id)
    # By their index: of many charges few have any.
    return dict(tx.execute(query.where(held(charge, pairs), charge.estimated != Decimal(0))).all()) if pairs else {}


def pairs_in_advance(tx: Session, pairs: Collection[PairRow]) -> set[int]:
    """Those of some pairs that are charged anything in advance."""
    if not pairs:
        return set()
    charge = CurrentChargeRow
    return set(tx.scalars(select(charge.pair_id).where(held(charge, pairs), charge.advance).distinct()))


@dataclass(frozen=True, slots=True)
class NotPriced:
    """Usage of a project that is not priced, its resources added up; without line no subscription takes it."""

    pair_id: int
    supply_line_id: UUID | None
    organisation_id: UUID
    project_number: int | None
    meter: str
    quantity: Decimal


def not_priced_of(tx: Session, pairs: Collection[PairRow], buyer: UUID | None = None) -> list[NotPriced]:
    """What of the usage of pairs is not priced; of a seller with itself only that of one buyer's lines, or of none."""
    row = NotPricedRow
    keys = (row.pair_id, row.supply_line_id, row.organisation_id, row.project_number, row.meter)
    query = select(*keys, func.sum(row.quantity)).where(held(row, pairs)).group_by(*keys)
    if buyer is not None:
        query = query.outerjoin(SupplyLineRow, SupplyLineRow.id == row.supply_line_id)
        query = query.where(or_(row.supply_line_id.is_(None), SupplyLineRow.buyer_id == buyer))
    found: Any = tx.execute(query.order_by(row.pair_id, func.min(row.position))).all()
    return [NotPriced(*each) for each in found]


@dataclass(frozen=True, slots=True)
class Became:
    """What became of a meter's usage, in base units; ``otherwise``: charges count some of it in another way.

    ``together`` is charged with a composite, or as its components.
    """

    charged: Decimal
    covered: Decimal
    no_rate: Decimal
    no_subscription: Decimal
    together: Decimal
    otherwise: bool = False


EFFECTIVE = "effective_cost"
ADDED_UP = ("per_unit", "stepped", "at_reached_step", "lots", "markup", "imported_cost", EFFECTIVE)
"""The kinds of charges whose quantities are what was used."""
BEGUN = ("started_second", "started_minute", "started_hour")
"""Those whose quantities are whole steps of time."""
OF_METERS = (*ADDED_UP, *BEGUN)


def meters_counted_otherwise(tx: Session, pairs: Collection[PairRow]) -> set[str]:
    """Meters of which some is charged by what is no sum of what came in: effective cost, or begun steps of time."""
    charge = CurrentChargeRow
    query = select(charge.meter).where(held(charge, pairs), charge.kind.in_((EFFECTIVE, *BEGUN)))
    return {str(meter) for meter in tx.scalars(query.distinct())}


def became_of(tx: Session, pairs: Collection[PairRow]) -> dict[str, Became]:
    """What became of the usage of pairs, by meter; what quotas promise was not used."""
    charge, rest, nothing = CurrentChargeRow, NotPricedRow, Decimal(0)
    if not pairs:
        return {}
    charged = select(charge.meter, func.sum(charge.quantity), func.sum(charge.covered))
    charged = charged.where(held(charge, pairs), charge.kind.in_(OF_METERS)).group_by(charge.meter)
    sums = {str(meter): (quantity - covered, covered) for meter, quantity, covered in tx.execute(charged)}
    other = meters_counted_otherwise(tx, pairs)
    none_takes_it = rest.supply_line_id.is_(None)
    missing = select(rest.meter, none_takes_it, func.sum(rest.quantity)).where(held(rest, pairs))
    missing = missing.where(rest.meter.not_like(f"{PROMISED}%"))
    left = {
        (meter, bool(none)): quantity
        for meter, none, quantity in tx.execute(missing.group_by(rest.meter, none_takes_it))
    }
    with_others = together_by_meter(tx, pairs)
    return {
        meter: Became(
            *sums.get(meter, (nothing, nothing)),
            left.get((meter, False), nothing),
            left.get((meter, True), nothing),
            with_others.get(meter, nothing),
            meter in other,
        )
        for meter in sums.keys() | with_others.keys() | {meter for meter, _ in left}
    }


def together_by_meter(tx: Session, pairs: Collection[PairRow]) -> dict[str, Decimal]:
    """What of the usage of pairs is charged with other usage."""
    row = ChargedTogetherRow
    query = select(row.meter, func.sum(row.quantity)).where(held(row, pairs)).group_by(row.meter)
    return dict(tx.execute(query).all())


def generations(tx: Session, pairs: Collection[int]) -> dict[int, int]:
    """The generation that holds for each pair, now."""
    return dict(tx.execute(_GENERATIONS, {"pairs": [*pairs]}).all())


def lines_by_id(tx: Session, ids: Collection[UUID]) -> list[tuple[SupplyLineRow, SubscriptionRow]]:
    """Supply lines with their subscriptions."""
    rows = tx.execute(
        select(SupplyLineRow, SubscriptionRow)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .where(SupplyLineRow.id.in_(ids))
    )
    return [(line, subscription) for line, subscription in rows]


def projects_by_number(tx: Session, numbers: Collection[int], ids: Collection[UUID]) -> list[ProjectRow]:
    """Projects of these numbers, or these ids."""
    query = select(ProjectRow).where(ProjectRow.number.in_(numbers) | ProjectRow.id.in_(ids))
    return list(tx.scalars(query))
