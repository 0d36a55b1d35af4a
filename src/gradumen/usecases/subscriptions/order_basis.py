"""What an order goes by: the version of its plan and the prices from its day on, which may change while it waits."""

import hashlib
import json
from typing import Any

from gradumen.core.errors import NotPriceable
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.subscriptions import own_lines
from gradumen.store.subscriptions.tables import OrderRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.card_choice import choose_card
from gradumen.usecases.catalogue.published import Published, load_cards
from gradumen.wire.subscriptions.orders import OrderCreate

Basis = dict[str, Any]


def basis_of(tx: Session, row: OrderRow, published: Published) -> Basis:
    """The plan's version by its number, and the prices by their card and its versions from the order's day on."""
    wanted = OrderCreate.model_validate(row.wanted)
    if wanted.kind is OrderKind.END:
        return {}
    if wanted.kind is OrderKind.SUBSCRIBE:
        slug = wanted.plan or ""
        buyer, seller = (tx.get_one(OrganisationRow, each) for each in (row.organisation_id, row.seller_id))
        try:
            card = choose_card(tx, seller, buyer, None).id
        except NotPriceable:
            return {}
    else:
        lines = own_lines(tx, {row.subscription_id} if row.subscription_id else set())
        if not lines:
            return {}
        slug, card = lines[-1][1].document["plan"], lines[-1][0].rate_card_id
    numbers = [number for number, _ in published.forms.get(("plan", slug), ())]
    versions = load_cards(tx, [card], published)[card].versions
    later = [each.number for each in versions if each.starts_on > wanted.day]
    held = [each.number for each in versions if each.starts_on <= wanted.day][-1:]
    return {"plan": max(numbers, default=0), "card": str(card), "prices": held + later}


def seal_of_basis(basis: Basis) -> str:
    """It in short, for an approver to say what was looked at."""
    return hashlib.sha256(json.dumps(basis, sort_keys=True).encode()).hexdigest()[:16]


def changes_of(before: Basis | None, now: Basis) -> list[str]:
    """What is otherwise than when it was ordered: its plan, its prices; nothing is known of an order from before."""
    if before is None or before == now:
        return []
    found = ["plan"] if before.get("plan") != now.get("plan") else []
    return found if all(before.get(each) == now.get(each) for each in ("card", "prices")) else [*found, "prices"]
