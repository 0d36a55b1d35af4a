"""What a seller's own services cost it: all that they are used for, priced by its internal cost cards."""

from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal

import polars as pl

from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.card_choice import find_card_for
from gradumen.usecases.catalogue.published import StoredCard, load_cards, load_published
from gradumen.usecases.rating.links import LoadedLine, LoadedLinks, RatedPeriod
from gradumen.usecases.rating.promised_usage import Promised
from gradumen.wire.catalogue.forms.buyers import read_buyers

NO_ALLOWANCES: dict[str, Decimal] = {}
"""What is given free of charge costs its seller all the same."""


def rate_costs(seller: OrganisationRow, loaded: LoadedLinks, cards: Mapping[str, StoredCard]) -> RatedPeriod:
    """Price what a seller's own services were used for, by buyers and by itself, with its cost cards.

    A line is priced by the card in its currency, else by the one in the seller's; with neither its usage is listed as
    not priced. Fixed costs are spread over all these lines, and what cumulates over the buyer does over all of them:
    the seller buys from itself. What it charged itself by hand is with its own use.

    Args:
        loaded: the whole of what the seller sold in the period, for the versions of these cards too; a part of it would
            bear fixed costs alone.
        cards: see `cost_cards`.
    """
    own = {slug for (kind, slug), owner in loaded.published.owners.items() if kind == "service" and owner == seller.id}
    lines: dict[int, LoadedLine] = {}
    rated_lines = {}
    for number, line in loaded.lines.items():
        rated = loaded.rated_lines[number]
        if line.row.buyer_id == seller.id:
            lines[number], rated_lines[number] = line, replace(rated, buyer=0)
            continue
        services = tuple(each for each in line.services if each in own)
        if not services:
            continue
        found = cards.get(line.currency) or cards.get(seller.currency) or StoredCard(seller.currency, (), {})
        lines[number] = replace(line, currency=found.currency, version_ids=found.ids, services=services)
        rated_lines[number] = replace(
            rated,
            versions=found.versions,
            allowances=NO_ALLOWANCES,
            buyer=0,
            trial=False,
            meters=frozenset(each for slug in services for each in loaded.published.metered[slug]),
        )
    meters = [number for slug, number in loaded.published.meter_ids.items() if slug.partition("/")[0] in own]
    own_rows = pl.col("meter").is_in(meters) & pl.col("line").is_in(list(lines))
    usage, imported = (each.filter(own_rows) for each in (loaded.usage, loaded.costs))
    entered = tuple(each for each in loaded.entered if loaded.lines[each.line].row.buyer_id == seller.id)
    own_loaded = replace(loaded, usage=usage, costs=imported, promised=Promised(), entered=entered)
    return replace(own_loaded, lines=lines, rated_lines=rated_lines).rate()


def cost_cards(tx: Session, seller: OrganisationRow) -> dict[str, StoredCard]:
    """A seller's internal cost cards, by currency."""
    chosen = _cost_cards(tx, seller)
    stored = load_cards(tx, {card.id for card in chosen.values()}, load_published(tx))
    return {currency: stored[card.id] for currency, card in chosen.items()}


def _cost_cards(tx: Session, seller: OrganisationRow) -> dict[str, RateCardRow]:
    """The cards for a seller's own use, by currency."""
    cards = [card for card in cards_of(tx, seller.id) if read_buyers(card.buyers).type == "own-use"]
    found = {currency: find_card_for(cards, seller, seller, currency) for currency in {card.currency for card in cards}}
    return {currency: card for currency, card in found.items() if card is not None}
