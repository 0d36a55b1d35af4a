"""What is stored of every pair, beside what rating it anew gives."""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from decimal import Decimal
from itertools import groupby
from typing import Any
from uuid import UUID

from sqlalchemy import and_, select, tuple_
from sqlalchemy.orm import Session

from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, add, unscaled
from gradumen.store.catalogue.tables import RateCardVersionRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.current_charges import Attempt, Begun
from gradumen.store.rating.tables import ChargedTogetherRow, CurrentChargeRow, CurrentPartRow, NotPricedRow
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.rating.current_charges import rated_rows


def differing_pairs(uow: UnitOfWork, *, alone: bool = False) -> dict[str, Any]:
    """The sellers' months whose stored charges, parts or usage without price are not what rating them anew gives.

    Args:
        alone: one buyer of each is rated alone: what is sold to it comes to the same whomever it is rated with.
    """
    found = {}
    with Session(uow.engine) as session:
        pairs = session.scalars(select(PairRow).order_by(PairRow.seller_id, PairRow.period, PairRow.id)).all()
        for seller, period, of_seller in _pieces(pairs, alone):
            begun = tuple(Begun(pair.id, pair.generation, pair.wanted, pair.buyer_id) for pair in of_seller)
            rated = rated_rows(uow, attempt=Attempt(seller, period, 0, begun))
            anew = {
                CurrentChargeRow: rated.charges,
                CurrentPartRow: [_decimal(part) for part in rated.parts.rows(named=True)],
                NotPricedRow: rated.not_priced,
                ChargedTogetherRow: rated.together,
            }
            current = [(each.pair, each.fence) for each in begun]
            for table, expected in anew.items():
                query = select(table).where(tuple_(table.pair_id, table.generation).in_(current))
                stored = [_plain(row) for row in session.scalars(query)]
                if _sorted(table, stored) != _sorted(table, expected):
                    found[f"{seller} {period} {table.__name__}"] = (stored, expected)
    return found


def _pieces(pairs: Iterable[PairRow], alone: bool) -> Iterator[tuple[UUID, str, list[PairRow]]]:
    for (seller, period), group in groupby(pairs, key=lambda pair: (pair.seller_id, pair.period)):
        of_seller = list(group)
        for piece in (of_seller[:1], of_seller[1:]) if alone else (of_seller,):
            if piece:
                yield seller, period, piece


def _sorted(table: Any, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    keys = [column.name for column in table.__table__.primary_key]
    return sorted(rows, key=lambda row: [row[key] for key in keys])


def _plain(row: Any) -> dict[str, Any]:
    return {column.name: getattr(row, column.name) for column in row.__table__.columns}


def _decimal(part: dict[str, Any]) -> dict[str, Any]:
    quantity, amount = unscaled(part["quantity"], QUANTITY_PLACES), unscaled(part["amount"], AMOUNT_PLACES)
    return {**part, "quantity": quantity, "amount": amount}


def own_charges(uow: UnitOfWork, seller: str, period: str) -> dict[tuple[str, str, str, int], Decimal]:
    """What a month of a seller's own services costs it, by whose subscription, rate and version of the card it is."""
    who, found = [OrganisationRow.slug, SubscriptionRow.name], defaultdict(list)
    query = (
        select(*who, CurrentChargeRow.rate, RateCardVersionRow.number, CurrentChargeRow.amount)
        .join(PairRow, and_(PairRow.id == CurrentChargeRow.pair_id, PairRow.generation == CurrentChargeRow.generation))
        .join(SupplyLineRow, SupplyLineRow.id == CurrentChargeRow.supply_line_id)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .join(OrganisationRow, OrganisationRow.id == SubscriptionRow.organisation_id)
        .join(RateCardVersionRow, RateCardVersionRow.id == CurrentChargeRow.rate_card_version_id)
        .where(PairRow.seller_id == PairRow.buyer_id, PairRow.period == period)
        .where(PairRow.seller_id == select(OrganisationRow.id).where(OrganisationRow.slug == seller).scalar_subquery())
    )
    with Session(uow.engine) as session:
        for customer, subscription, rate, version, amount in session.execute(query):
            found[customer, subscription, rate.partition("-plan-")[0], version].append(amount)
    return {key: add(amounts) for key, amounts in found.items()}


def stored_charges(uow: UnitOfWork, last: str) -> set[tuple[Any, ...]]:
    """All current charges of months up to a last one, without what differs from one rating to the next."""
    with Session(uow.engine) as session:
        pairs = {pair.id: pair for pair in session.scalars(select(PairRow))}
        rows = [
            _plain(row)
            for row in session.scalars(select(CurrentChargeRow))
            if pairs[row.pair_id].generation == row.generation and pairs[row.pair_id].period <= last
        ]
    return {
        (str(pairs[row["pair_id"]].seller_id), str(pairs[row["pair_id"]].buyer_id), pairs[row["pair_id"]].period, *kept)
        for row in rows
        for kept in [
            [str(value) for name, value in sorted(row.items()) if name not in ("pair_id", "generation", "evidence")]
        ]
    }
