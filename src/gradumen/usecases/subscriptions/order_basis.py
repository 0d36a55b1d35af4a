"""What an order goes by: the version of its plan and the prices from its day on, which may change while it waits."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from datetime import date
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.errors import NotPriceable
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.subscriptions.subscriptions import own_lines
from gradumen.store.subscriptions.tables import OrderRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.card_choice import choose_among
from gradumen.usecases.catalogue.published import Published, load_cards
from gradumen.wire.subscriptions.orders import OrderCreate

Basis = dict[str, Any]


def bases_of(tx: Session, rows: Sequence[OrderRow], published: Published) -> dict[UUID, Basis]:
    """Of orders the plan's version by its number, and the prices by their card and its versions from their days on.

    Nothing of an end, and of what cannot be priced.
    """
    wanted = {row.id: OrderCreate.model_validate(row.wanted) for row in rows}
    lines = {line.subscription_id: (line, version) for line, version in own_lines(tx, _changed(rows, wanted))}
    dealing = {each for row in rows for each in (row.seller_id, row.organisation_id)}
    known = organisations_by_id(tx, dealing)
    cards = {seller: cards_of(tx, seller) for seller in {row.seller_id for row in rows}}
    goes_by: dict[UUID, tuple[str, UUID]] = {}
    for row in rows:
        if wanted[row.id].kind is OrderKind.SUBSCRIBE:
            seller, buyer = known[row.seller_id], known[row.organisation_id]
            with suppress(NotPriceable):
                goes_by[row.id] = wanted[row.id].plan or "", choose_among(cards[row.seller_id], seller, buyer, None).id
        elif wanted[row.id].kind is OrderKind.CHANGE and row.subscription_id in lines:
            line, version = lines[row.subscription_id]
            goes_by[row.id] = version.document["plan"], line.rate_card_id
    priced = load_cards(tx, list({card for _, card in goes_by.values()}), published)
    found: dict[UUID, Basis] = {row.id: {} for row in rows}
    for order, (plan, card) in goes_by.items():
        found[order] = _basis(plan, card, wanted[order].day, priced[card].versions, published)
    return found


def _changed(rows: Sequence[OrderRow], wanted: Mapping[UUID, OrderCreate]) -> set[UUID]:
    """The subscriptions that orders change."""
    changes = (row for row in rows if wanted[row.id].kind is OrderKind.CHANGE)
    return {row.subscription_id for row in changes if row.subscription_id}


def _basis(plan: str, card: UUID, day: date, versions: Sequence[RateCardVersion], published: Published) -> Basis:
    numbers = [number for number, _ in published.forms.get(("plan", plan), ())]
    held = [each.number for each in versions if each.starts_on <= day][-1:]
    later = [each.number for each in versions if each.starts_on > day]
    return {"plan": max(numbers, default=0), "card": str(card), "prices": held + later}


def basis_of(tx: Session, row: OrderRow, published: Published) -> Basis:
    """The same of one order."""
    return bases_of(tx, [row], published)[row.id]


def seal_of_basis(basis: Basis) -> str:
    """It in short, for an approver to say what was looked at."""
    return hashlib.sha256(json.dumps(basis, sort_keys=True).encode()).hexdigest()[:16]


def changes_of(before: Basis | None, now: Basis) -> list[str]:
    """What is otherwise than when it was ordered: its plan, its prices; nothing is known of an order from before."""
    if before is None or before == now:
        return []
    found = ["plan"] if before.get("plan") != now.get("plan") else []
    return found if all(before.get(each) == now.get(each) for each in ("card", "prices")) else [*found, "prices"]
