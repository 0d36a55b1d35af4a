"""What is stored of every pair, beside what rating it anew gives."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, unscaled
from gradumen.store.pairs import PairRow
from gradumen.store.rating.current_charges import Attempt, Begun
from gradumen.store.rating.tables import ChargedTogetherRow, CurrentChargeRow, CurrentPartRow, NotPricedRow
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating.current_charges import rated_rows


def differing_pairs(uow: UnitOfWork) -> dict[str, Any]:
    """The pairs, by name, whose stored charges, parts or usage without price are not what rating them anew gives."""
    found = {}
    with Session(uow.engine) as session:
        for pair in session.scalars(select(PairRow)).all():
            begun = Begun(pair.id, pair.generation, pair.wanted, pair.buyer_id)
            rated = rated_rows(uow, attempt=Attempt(pair.seller_id, pair.period, 0, (begun,)))
            anew = {
                CurrentChargeRow: rated.charges,
                CurrentPartRow: [_decimal(part) for part in rated.parts.rows(named=True)],
                NotPricedRow: rated.not_priced,
                ChargedTogetherRow: rated.together,
            }
            for table, expected in anew.items():
                query = select(table).where(table.pair_id == pair.id, table.generation == pair.generation)
                stored = [_plain(row) for row in session.scalars(query.order_by(*table.__table__.primary_key))]
                if stored != expected:
                    found[f"{pair.seller_id} {pair.buyer_id} {pair.period} {table.__name__}"] = (stored, expected)
    return found


def _plain(row: Any) -> dict[str, Any]:
    return {column.name: getattr(row, column.name) for column in row.__table__.columns}


def _decimal(part: dict[str, Any]) -> dict[str, Any]:
    quantity, amount = unscaled(part["quantity"], QUANTITY_PLACES), unscaled(part["amount"], AMOUNT_PLACES)
    return {**part, "quantity": quantity, "amount": amount}
