"""Queries of what is charged with composites, or as their components."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session, aliased

from gradumen.store.metering.tables import ResourceRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.current_charges import held
from gradumen.store.rating.tables import ChargedTogetherRow


@dataclass(frozen=True, slots=True)
class CompositeUsage:
    """Usage that is charged with that of a ``composite``; as its components' where ``whole`` is not set."""

    composite: str
    whole: bool
    resource: str
    meter: str
    organisation: UUID
    pair: int
    quantity: Decimal
    hours: int


def charged_as_components(tx: Session, pairs: Collection[PairRow]) -> dict[tuple[UUID, str, int], list[str]]:
    """The composites of which some is charged as their components, by supply line, meter and attribute set."""
    row = ChargedTogetherRow
    query = (
        select(row.supply_line_id, row.meter, row.attribute_set_id, ResourceRow.name)
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .where(held(row, pairs), row.composite_id.is_(None))
        .distinct()
        .order_by(ResourceRow.name)
    )
    found: dict[tuple[UUID, str, int], list[str]] = defaultdict(list)
    for line, meter, attributes, name in tx.execute(query):
        if line is not None:
            found[line, meter, attributes].append(name)
    return found


def composite_usage(tx: Session, pairs: Collection[PairRow], resource: str | None, limit: int) -> list[CompositeUsage]:
    """What is charged with other usage, by composite and resource.

    Args:
        resource: only of this composite, or of this component.
    """
    row, composite = ChargedTogetherRow, aliased(ResourceRow)
    named = func.coalesce(composite.name, ResourceRow.name)
    keys = (named, row.composite_id.is_not(None), ResourceRow.name, row.meter, row.organisation_id, row.pair_id)
    query = (
        select(*keys, func.sum(row.quantity), func.max(row.hours))
        .join(ResourceRow, ResourceRow.id == row.resource_id)
        .outerjoin(composite, composite.id == row.composite_id)
        .where(held(row, pairs))
        .group_by(*keys)
        .order_by(*keys)
        .limit(limit)
    )
    if resource is not None:
        query = query.where(or_(named == resource, ResourceRow.name == resource))
    found: Any = tx.execute(query).all()
    return [CompositeUsage(name, bool(whole), *rest) for name, whole, *rest in found]
