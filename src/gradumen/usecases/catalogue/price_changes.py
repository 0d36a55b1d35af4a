"""Prices that buyers pay and that are about to change: told before they hold."""

from collections.abc import Collection
from itertools import pairwise
from uuid import UUID

from gradumen.store.catalogue.rate_cards import card_versions
from gradumen.store.catalogue.tables import RateCardVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import local_day
from gradumen.store.subscriptions.sales import bought_lines
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.catalogue_lists import for_buyer
from gradumen.usecases.catalogue.changes import differences
from gradumen.usecases.catalogue.names import meter_names
from gradumen.usecases.catalogue.plan_lists import seen_plans
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.catalogue.price_changes import PriceChangeBody


@use_case
def list_price_changes(tx: Session, caller: Caller) -> list[PriceChangeBody]:
    """The prices that are about to change for the organisations that the caller is a member of, by day."""
    scope = load_scope(tx, caller)
    return price_changes_of(tx, scope, scope.members_money())


def price_changes_of(tx: Session, scope: Scope, own: Collection[UUID]) -> list[PriceChangeBody]:
    """The prices that are about to change for some buyers, by day."""
    today = scope.now.date()
    lines = bought_lines(tx, own, today)
    concerned: dict[tuple[UUID, UUID], set[UUID]] = {}
    for line, card, _ in lines:
        concerned.setdefault((line.buyer_id, card.id), set()).add(line.subscription_id)
    cards = {card.id: (card, seller.slug) for _, card, seller in lines}
    names = organisations_by_id(tx, set(own))
    plans = seen_plans(tx, scope) if lines else set()
    versions: dict[UUID, list[RateCardVersionRow]] = {}
    for _, row in card_versions(tx, cards):
        versions.setdefault(row.rate_card_id, []).append(row)
    meter = meter_names(load_published(tx))
    found: list[PriceChangeBody] = []
    for (buyer, id), subscriptions in concerned.items():
        card, seller = cards[id]
        here = local_day(tx, card.organisation_id, scope.now)
        listed = versions.get(id, [])
        for before, after in pairwise(listed):
            if after.starts_on > here:
                found.append(
                    PriceChangeBody(
                        buyer=names[buyer].slug,
                        seller=seller,
                        rate_card=card.slug,
                        name=card.name,
                        currency=card.currency,
                        starts_on=after.starts_on,
                        announced_at=after.published_at,
                        subscriptions=len(subscriptions),
                        differences=[
                            each
                            for each in differences(
                                for_buyer(before.document, plans), for_buyer(after.document, plans), meter
                            )
                            if _is_price(each["path"])
                        ],
                    )
                )
    return sorted(found, key=lambda each: (each.starts_on, each.buyer, each.rate_card))


def _is_price(path: str) -> bool:
    return path.startswith(("rates", "discounts"))
