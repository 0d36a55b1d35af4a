"""What became of the usage of each resource, as pairs are charged for it now."""

from collections.abc import Collection
from dataclasses import dataclass
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.metering.tables import ResourceRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.current_charges import ADDED_UP, EFFECTIVE, held
from gradumen.store.rating.tables import CurrentChargeRow, CurrentPartRow, NotPricedRow


@dataclass(frozen=True, slots=True)
class ChargedResource:
    """A charge's share of a resource; ``charge_covered`` is what an allowance covers of all of the charge."""

    charge: tuple[int, int]
    meter: str
    resource: str
    quantity: Decimal
    charge_covered: Decimal


def charged_resources(tx: Session, pairs: Collection[PairRow]) -> list[ChargedResource]:
    """What metered charges are for, by charge and resource, in the order of these."""
    charge, part = CurrentChargeRow, CurrentPartRow
    same = (
        (part.pair_id == charge.pair_id)
        & (part.generation == charge.generation)
        & (part.charge_position == charge.position)
    )
    keys = (charge.pair_id, charge.position, charge.meter, ResourceRow.name)
    query = (
        select(*keys, func.sum(part.quantity), func.max(charge.covered))
        .join(part, same)
        .join(ResourceRow, ResourceRow.id == part.resource_id)
        .where(held(charge, pairs), charge.kind.in_(ADDED_UP))
        .group_by(*keys)
        .order_by(*keys)
    )
    rows: Any = tx.execute(query).all()
    return [
        ChargedResource((pair, position), meter, resource, quantity, covered)
        for pair, position, meter, resource, quantity, covered in rows
    ]


def effective_meters(tx: Session, pairs: Collection[PairRow]) -> set[str]:
    """Meters of which effective cost is sold to some of them."""
    charge = CurrentChargeRow
    query = select(charge.meter).where(held(charge, pairs), charge.kind == EFFECTIVE)
    return {str(meter) for meter in tx.scalars(query.distinct())}


def not_priced_resources(tx: Session, pairs: Collection[PairRow]) -> list[tuple[str, str, bool, Decimal]]:
    """What is not priced: meter, resource, whether for want of a rate (else of a subscription), and how much."""
    row = NotPricedRow
    keys = (row.meter, ResourceRow.name, row.supply_line_id.is_not(None))
    query = select(*keys, func.sum(row.quantity)).join(ResourceRow, ResourceRow.id == row.resource_id)
    query = query.where(held(row, pairs)).group_by(*keys)
    return [(meter, name, bool(no_rate), quantity) for meter, name, no_rate, quantity in tx.execute(query)]


@dataclass(frozen=True, slots=True)
class NotPricedResource:
    """What of a resource is not priced to whom: for want of a rate, else of a subscription."""

    meter: str
    no_rate: bool
    organisation: UUID
    attributes: int | None
    resource: str | None
    quantity: Decimal


def not_priced_by_owner(tx: Session, pairs: Collection[PairRow]) -> list[NotPricedResource]:
    """What is not priced, by whose it is and what it is of."""
    row = NotPricedRow
    keys = (row.meter, row.supply_line_id.is_not(None), row.organisation_id, row.attribute_set_id, ResourceRow.name)
    query = select(*keys, func.sum(row.quantity)).outerjoin(ResourceRow, ResourceRow.id == row.resource_id)
    found: Any = tx.execute(query.where(held(row, pairs)).group_by(*keys).order_by(*keys)).all()
    return [NotPricedResource(meter, bool(no_rate), *rest) for meter, no_rate, *rest in found]
