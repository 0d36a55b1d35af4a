"""Which of a seller's rate cards prices a buyer."""

from collections.abc import Collection, Sequence
from uuid import UUID

from gradumen.core.catalogue.selection import Buyer, Buyers, choose
from gradumen.core.errors import Invalid, NotPriceable
from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, Tree
from gradumen.store.unit_of_work import Session
from gradumen.wire.catalogue.forms.buyers import read_buyers


def choose_card(tx: Session, seller: OrganisationRow, buyer: OrganisationRow, slug: str | None) -> RateCardRow:
    """The seller's card that prices a buyer, in the buyer's currency: the one named, else by the seller's rules.

    Raises:
        NotPriceable: there is none.
    """
    return choose_among(cards_of(tx, seller.id), seller, buyer, slug)


def choose_among(
    cards: Sequence[RateCardRow], seller: OrganisationRow, buyer: OrganisationRow, slug: str | None
) -> RateCardRow:
    """As `choose_card`, of a seller's cards that are read already."""
    kind = kind_of(seller, buyer)
    if slug is not None:
        found = next((card for card in cards if card.slug == slug and card.currency == buyer.currency), None)
        if found is not None and (read_buyers(found.buyers).type == "own-use") != (kind == "own-use"):
            found = None
    else:
        found = find_card_for(cards, seller, buyer, buyer.currency)
    if found is None:
        wanted = f"rate card '{slug[:60]}'" if slug else f"rate card for {kind}"
        raise NotPriceable(
            f"the seller on this link has no {wanted} in {buyer.currency}; publish one first",
            field="rate_card",
            value=slug,
        )
    return found


def kind_of(seller: OrganisationRow, buyer: OrganisationRow) -> str:
    """What a buyer is to a seller; see `gradumen.core.catalogue.selection.TYPES`."""
    return "own-use" if seller.id == buyer.id else f"{buyer.type}s"


def find_card_for(
    cards: Sequence[RateCardRow], seller: OrganisationRow, buyer: OrganisationRow, currency: str
) -> RateCardRow | None:
    """Of a seller's cards the one in a currency that its rules choose for a buyer."""
    who = Buyer(buyer.slug, kind_of(seller, buyer), buyer.country, buyer.segment)
    return choose([(read_buyers(card.buyers), card) for card in cards if card.currency == currency], who)


def cards_offered(tx: Session, tree: Tree, buyers: Collection[UUID]) -> set[UUID]:
    """The cards by which resellers would buy, who price what they sell by them: of each one's seller by its rules."""
    sellers = {each: tree.parents[each] for each in buyers if each in tree.parents}
    known = organisations_by_id(tx, {*sellers, *sellers.values()})
    found = (
        find_card_for(cards_of(tx, seller), known[seller], known[buyer], known[buyer].currency)
        for buyer, seller in sellers.items()
        if known[buyer].type == "reseller"
    )
    return {card.id for card in found if card is not None}


def check_rules(tx: Session, seller: OrganisationRow, slug: str, currency: str, buyers: Buyers) -> None:
    """Check that a card does not tie with another of the seller's.

    Raises:
        Invalid: some buyer would fit both and neither is more specific.
    """
    for card in cards_of(tx, seller.id):
        if card.slug != slug and card.currency == currency and buyers.meets(read_buyers(card.buyers)):
            raise Invalid(
                f"rate cards '{slug}' and '{card.slug}' are both for {buyers.words} in {currency} and neither is more "
                "specific; add a condition to one, or write for: named",
                field="for",
                value=buyers.words,
                path="for",
            )
