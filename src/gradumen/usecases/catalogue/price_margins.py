"""What a seller earns between a card that it sells by and one that it buys by."""

from datetime import date

from gradumen.core.catalogue.price_margins import price_margins
from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.errors import Invalid, NotFound
from gradumen.store.catalogue.rate_cards import cards_by_id, cards_of, find_card
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, local_day
from gradumen.store.subscriptions.sales import cards_bought_by
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.card_choice import cards_offered
from gradumen.usecases.catalogue.published import load_cards, load_published
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.catalogue.forms.buyers import read_buyers
from gradumen.wire.catalogue.price_margins import PriceMarginsBody


@use_case
def compare_prices(tx: Session, caller: Caller, *, seller: str, slug: str, against: str | None) -> PriceMarginsBody:
    """The rates of a card that a seller sells by beside those by which it buys (the provider: its cost card), today.

    Args:
        against: ``seller/card`` of the card to buy by; None takes the one that most of its supply lines have.

    Raises:
        NotFound: no such card, or the caller is no member of the seller.
        Invalid: nothing is bought in the same currency.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, seller)
    sold = find_card(tx, owner.id, slug)
    if sold is None or owner.id not in scope.members_money():
        raise NotFound("rate card", f"{seller[:70]}/{slug[:70]}")
    cards = _cards_bought_by(tx, scope, owner)
    usable = {path: card for path, card in cards.items() if card.currency == sold.currency}
    if against is not None and against not in cards:
        raise NotFound("rate card", against[:140])
    if against is not None and against not in usable:
        raise Invalid(
            f"'{against}' is in {cards[against].currency}, the card in {sold.currency}; prices in two currencies have "
            "no margin",
            field="against",
            value=against,
        )
    if not usable:
        message = f"'{owner.slug}' buys nothing in {sold.currency} yet; there is nothing to compare with"
        raise Invalid(message, field="against", value=against)
    path = against or next(iter(usable))
    published = load_published(tx)
    stored = load_cards(tx, [sold.id, usable[path].id], published)
    sell, buy = (
        _held(stored[card.id].versions, local_day(tx, card.organisation_id, scope.now)) for card in (sold, usable[path])
    )
    return PriceMarginsBody(
        sells_by=f"{owner.slug}/{slug}", buys_by=path, currency=sold.currency, rates=list(price_margins(sell, buy))
    )


def _held(versions: tuple[RateCardVersion, ...], today: date) -> RateCardVersion:
    held = [version for version in versions if version.starts_on <= today]
    return held[-1] if held else versions[0]


def _cards_bought_by(tx: Session, scope: Scope, owner: OrganisationRow) -> dict[str, RateCardRow]:
    """Cards by which an organisation buys or would, by path, the most used first; of the root those of its own cost."""
    found: dict[str, RateCardRow] = {}
    counted = cards_bought_by(tx, [owner.id])
    counted.update(dict.fromkeys(cards_offered(tx, scope.tree, [owner.id]), 0))
    rows = cards_by_id(tx, counted)
    names = {
        id: row.slug for id, row in organisations_by_id(tx, {row.organisation_id for row in rows.values()}).items()
    }
    for id, _ in counted.most_common():
        found[f"{names[rows[id].organisation_id]}/{rows[id].slug}"] = rows[id]
    for row in cards_of(tx, owner.id):
        if read_buyers(row.buyers).type == "own-use":
            found.setdefault(f"{owner.slug}/{row.slug}", row)
    return found
