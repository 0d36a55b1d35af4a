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
from gradumen.store.rating.current_charges import IS_PART, OF_METERS, held
from gradumen.store.rating.tables import ChargedTogetherRow, CurrentChargeRow, CurrentPartRow, NotPricedRow


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
    keys = (charge.pair_id, charge.position, charge.meter, ResourceRow.name)
    query = (
        select(*keys, func.sum(part.quantity), func.max(charge.covered))
        .join(part, IS_PART)
        .join(ResourceRow, ResourceRow.id == part.resource_id)
        .where(held(charge, pairs), charge.kind.in_(OF_METERS))
        .group_by(*keys)
        .order_by(*keys)
    )
    rows: Any = tx.execute(query).all()
    return [
        ChargedResource((pair, position), meter, resource, quantity, covered)
        for pair, position, meter, resource, quantity, covered in rows
    ]


@dataclass(frozen=True, slots=True)
class NotPricedResource:
    """What of a resource is not priced to whom: for want of a rate, else of a subscription."""

    meter: str
    no_rate: bool
    organisation: UUID
    attributes: int | None
    resource: str | None
    quantity: Decimal


def not_priced_resources(tx: Session, pairs: Collection[PairRow]) -> list[NotPricedResource]:
    """What is not priced, by whose it is and what it is of."""
    row = NotPricedRow
    keys = (row.meter, row.supply_line_id.is_not(None), row.organisation_id, row.attribute_set_id, ResourceRow.name)
    query = select(*keys, func.sum(row.quantity)).outerjoin(ResourceRow, ResourceRow.id == row.resource_id)
    found: Any = tx.execute(query.where(held(row, pairs)).group_by(*keys).order_by(*keys)).all()
    return [NotPricedResource(meter, bool(no_rate), *rest) for meter, no_rate, *rest in found]


def together_resources(tx: Session, pairs: Collection[PairRow]) -> dict[tuple[str, str], Decimal]:
    """What is charged with other usage, by meter and resource."""
    row = ChargedTogetherRow
    keys = (row.meter, ResourceRow.name)
    query = select(*keys, func.sum(row.quantity)).join(ResourceRow, ResourceRow.id == row.resource_id)
    found: Any = tx.execute(query.where(held(row, pairs)).group_by(*keys)).all()
    return {(meter, resource): quantity for meter, resource, quantity in found}
