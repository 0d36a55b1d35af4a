"""What-ifs: what a period would have come to with other rate cards, by buyer and service."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, insert, or_, select, tuple_
from sqlalchemy.orm import Session

from gradumen.core.tasks import UNDER_WAY
from gradumen.store.columns import has_text
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.rating.tables import WhatIfAmountRow, WhatIfGapRow, WhatIfRow
from gradumen.store.tasks import TaskRow


@dataclass(frozen=True, slots=True)
class WhatIfSum:
    """What all buyers' charges of a service came to, and would have come to; of so many some charges differ."""

    service: str
    currency: str
    before: Decimal
    after: Decimal
    buyers: int
    differing: int


def find_what_if(tx: Session, identity: UUID) -> WhatIfRow | None:
    """A what-if by its id."""
    return tx.get(WhatIfRow, identity)


def page_of_what_ifs(
    tx: Session, seller: UUID, *, after: tuple[datetime, UUID] | None, limit: int
) -> list[tuple[WhatIfRow, TaskRow]]:
    """A seller's what-ifs with their tasks, newest first."""
    query = select(WhatIfRow, TaskRow).join(TaskRow, TaskRow.id == WhatIfRow.id).where(WhatIfRow.seller_id == seller)
    if after is not None:
        query = query.where(tuple_(WhatIfRow.asked_at, WhatIfRow.id) < after)
    found = tx.execute(query.order_by(WhatIfRow.asked_at.desc(), WhatIfRow.id.desc()).limit(limit))
    return [(row, task) for row, task in found]


def count_under_way(tx: Session, seller: UUID) -> int:
    """How many of a seller's what-ifs wait or are being worked on."""
    query = select(func.count()).select_from(WhatIfRow).join(TaskRow, TaskRow.id == WhatIfRow.id)
    return tx.execute(query.where(WhatIfRow.seller_id == seller, TaskRow.state.in_(UNDER_WAY))).scalar_one()


def forget_what_ifs(tx: Session, before: datetime, limit: int) -> int:
    """Remove so many of before a time at most that are not under way, with what they came to; gives how many."""
    old = select(WhatIfRow.id).join(TaskRow, TaskRow.id == WhatIfRow.id).where(WhatIfRow.asked_at < before)
    ids = list(tx.scalars(old.where(TaskRow.state.not_in(UNDER_WAY)).limit(limit)))
    if ids:
        tx.execute(delete(WhatIfRow).where(WhatIfRow.id.in_(ids)))
    return len(ids)


def put_amounts(
    tx: Session,
    identity: UUID,
    buyers: Collection[UUID],
    amounts: Sequence[Mapping[str, Any]],
    gaps: Collection[tuple[UUID, str]],
) -> None:
    """Store what some buyers' charges come to, in place of what is stored of them."""
    for table in (WhatIfAmountRow, WhatIfGapRow):
        tx.execute(delete(table).where(table.what_if_id == identity, table.buyer_id.in_(buyers)))
    if amounts:
        tx.execute(insert(WhatIfAmountRow), [{"what_if_id": identity, **each} for each in amounts])
    if gaps:
        rows = [{"what_if_id": identity, "buyer_id": buyer, "meter": meter} for buyer, meter in sorted(gaps)]
        tx.execute(insert(WhatIfGapRow), rows)


def sums_of(tx: Session, identity: UUID) -> list[WhatIfSum]:
    """The sums of a what-if over all buyers, by service and currency."""
    table = WhatIfAmountRow
    rows = tx.execute(
        select(
            table.service,
            table.currency,
            func.sum(table.before),
            func.sum(table.after),
            func.count(),
            func.sum(func.if_(table.before != table.after, 1, 0)),
        )
        .where(table.what_if_id == identity)
        .group_by(table.service, table.currency)
        .order_by(table.currency, table.service)
    )
    return [
        WhatIfSum(service, currency, before, after, buyers, int(differing))
        for service, currency, before, after, buyers, differing in rows
    ]


def gaps_of(tx: Session, identity: UUID) -> list[tuple[str, int]]:
    """The meters that nothing would have priced, with how many buyers used them."""
    table = WhatIfGapRow
    query = select(table.meter, func.count()).where(table.what_if_id == identity)
    return [(meter, buyers) for meter, buyers in tx.execute(query.group_by(table.meter).order_by(table.meter))]


def page_of_amounts(
    tx: Session,
    identity: UUID,
    *,
    differing: bool,
    search: str,
    after: tuple[str, str, str] | None,
    limit: int,
) -> list[tuple[WhatIfAmountRow, OrganisationRow]]:
    """What buyers' charges came to, with the buyer, by its slug and then by service and currency."""
    table, buyer = WhatIfAmountRow, OrganisationRow
    query = select(table, buyer).join(buyer, buyer.id == table.buyer_id).where(table.what_if_id == identity)
    if differing:
        query = query.where(table.before != table.after)
    if search:
        query = query.where(or_(has_text(buyer.slug, search), has_text(buyer.name, search)))
    place = (buyer.slug, table.service, table.currency)
    if after is not None:
        query = query.where(tuple_(*place) > after)
    return [(row, organisation) for row, organisation in tx.execute(query.order_by(*place).limit(limit))]
