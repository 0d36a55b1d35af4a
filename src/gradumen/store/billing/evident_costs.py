"""The rows of cost files that a billed charge was made from."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, exists, func, or_, select, tuple_
from sqlalchemy.orm import Session, aliased

from gradumen.core.catalogue.rates import Basis
from gradumen.core.periods import Period
from gradumen.store.billing.evident_readings import rows_but
from gradumen.store.billing.tables import ChargePartRow, ChargeRow
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.imported_costs import CostRowRow, CostSetRow
from gradumen.store.metering.readings import NEWEST
from gradumen.store.metering.tables import DeliveryRow, FeedRow, OriginRow, ResourceRow

Place = tuple[int, int, int, date]
"""Resource, attributes, origin and day: what is alike in these has one owner."""


@dataclass(frozen=True, slots=True)
class EvidentCost:
    """A row of a cost file, with where it is."""

    feed: str
    source: str
    account: str
    resource: str
    day: date
    position: int
    cost: Decimal
    currency: str
    as_on: date | None
    """It is an estimate, after what was stated of this day."""


class CostEvidence:
    """What may be a charge's: of one of its resources, on its days.

    As of the delivery that was the last when it was rated: of each day the latest statement by then. Their cost is the
    one that was sold. Only the rules of then can say whether a row is the charge's.
    """

    def __init__(self, tx: Session, charge: ChargeRow) -> None:
        self._tx, self._charge = tx, charge
        self.meter = tx.scalars(select(MeterRow.id).where(MeterRow.slug == charge.meter)).one()

    def places(self) -> list[Place]:
        """Where its rows are."""
        found: Any = self._tx.execute(self._of(select(*_KEYS)).distinct())
        return [tuple(each) for each in found]

    def read(self, others: Collection[Place], *, after: int, limit: int) -> list[EvidentCost]:
        """Its rows by account and day, after so many of them.

        Args:
            others: where those are that are somebody else's.
        """
        cost, base = _cost_of(self._charge), aliased(CostSetRow)
        query = self._of(
            select(
                *_KEYS, FeedRow.slug, OriginRow.source, OriginRow.account, ResourceRow.name, CostSetRow.day,
                CostRowRow.position, cost, CostRowRow.currency, base.day,
            )
        )  # fmt: skip
        query = query.outerjoin(base, base.id == CostSetRow.estimated_from)
        query = query.order_by(CostSetRow.account, CostSetRow.day, CostRowRow.position)
        rows = rows_but(
            self._tx, query, after, limit, (lambda each: tuple(each[: len(_KEYS)]) in others) if others else None
        )
        return [EvidentCost(*each[len(_KEYS) :]) for each in rows]

    def _of(self, query: Select[*tuple[Any, ...]]) -> Select[*tuple[Any, ...]]:
        """Rows with their set, feed, origin and resource: those that may be the charge's."""
        charge, newest = self._charge, self._charge.explanation.get("delivery", NEWEST)
        later, found, part = aliased(CostSetRow), aliased(DeliveryRow), ChargePartRow

        def stood(delivery: type[DeliveryRow]) -> ColumnElement[bool]:
            by_then = or_(delivery.taken_back_by.is_(None), delivery.taken_back_by > newest)
            return and_(delivery.id <= newest, by_then)

        replaced = exists().where(
            later.feed_id == CostSetRow.feed_id,
            later.account == CostSetRow.account,
            later.day == CostSetRow.day,
            tuple_(later.revision, later.id) > tuple_(CostSetRow.revision, CostSetRow.id),
            found.id == later.delivery_id,
            stood(found),
        )
        # A day outside of the month that the source bills it in stands on the month's nearest.
        month = Period.parse(charge.period)
        within = func.least(func.greatest(CostSetRow.day, month.first_day), month.next().first_day - timedelta(days=1))
        has_part = exists().where(part.charge_id == charge.id, part.resource == ResourceRow.name, part.day == within)
        return (
            query.join(CostSetRow, CostSetRow.id == CostRowRow.set_id)
            .join(FeedRow, FeedRow.id == CostSetRow.feed_id)
            .join(DeliveryRow, DeliveryRow.id == CostSetRow.delivery_id)
            .join(OriginRow, OriginRow.id == CostRowRow.origin_id)
            .join(ResourceRow, ResourceRow.id == CostRowRow.resource_id)
            .where(
                FeedRow.cost_meter_id == self.meter,
                CostRowRow.attribute_set_id.in_(charge.explanation["attribute_sets"]),
                func.date_format(CostRowRow.month, "%Y-%m") == charge.period,
                CostRowRow.category != "Tax",
                stood(DeliveryRow),
                has_part,
                ~replaced,
            )
        )


_KEYS: tuple[Any, ...] = (CostRowRow.resource_id, CostRowRow.attribute_set_id, CostRowRow.origin_id, CostSetRow.day)


def _cost_of(charge: ChargeRow) -> Any:
    """The cost that a charge sold."""
    return CostRowRow.effective if charge.explanation["cost"]["basis"] == Basis.EFFECTIVE else CostRowRow.billed
