"""What a customer that comes on board is offered by name, beyond what its seller offers to all like it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.offers import Offer
from gradumen.core.errors import Invalid
from gradumen.core.permissions import Right
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers, StoredOffer
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.catalogue.publishing import publish_as
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.catalogue.forms.offers import offer_form


@dataclass(frozen=True, slots=True)
class _Offered:
    """An offer as it is published anew, with one buyer more or less."""

    form: dict[str, Any]
    file: str = "offers"
    kind: str = "offer"

    def problem(self, path: str, message: str) -> dict[str, Any]:
        """A mistake of it."""
        return {"file": f"offer {self.form['offer']}", "line": None, "path": path, "message": message}


def offer_by_name(
    tx: Session, caller: Caller, seller: OrganisationRow, row: OrganisationRow, plans: Sequence[str]
) -> list[str]:
    """Add a customer to those to whom its seller offers plans; what was done in sentences.

    Raises:
        Forbidden: the caller does not manage the seller's catalogue.
        Invalid: the seller has no such offer, or none in which a buyer can be named.
        CatalogueInvalid: the seller may not offer its tiers any more.
    """
    if not plans:
        return []
    scope = load_scope(tx, caller)
    scope.require_member(Right.MANAGE_CATALOGUE, seller)
    there = _offers(tx, seller.id)
    added, sentences = [], []
    for plan in dict.fromkeys(plans):
        offer = _named(there, seller, row, plan)
        sentences.append(f"{offer.name} is offered to it.")
        if not offer.reaches(row.slug, row.type):
            added.append(_Offered({**offer_form(offer), "to": [*offer.to, row.slug]}))
    publish_as(tx, scope, seller, added)
    return sentences


def offer_no_more(tx: Session, scope: Scope, seller: OrganisationRow, row: OrganisationRow) -> None:
    """A customer that did not come on board is named in none of its seller's offers any more."""
    left = [
        _Offered({**offer_form(offer), "to": [to for to in offer.to if to.partition("/")[0] != row.slug]})
        for offer in (each.offer for each in _offers(tx, seller.id).values())
        if not isinstance(offer.to, str) and offer.concerns(row.slug, row.type)
    ]
    publish_as(tx, scope, seller, left)


def _offers(tx: Session, seller: UUID) -> dict[str, StoredOffer]:
    return {plan: each for (_, plan), each in Offers(tx, [seller], load_published(tx)).of.items()}


def _named(there: dict[str, StoredOffer], seller: OrganisationRow, row: OrganisationRow, plan: str) -> Offer:
    if plan not in there:
        known = ", ".join(sorted(there)) or "none yet"
        raise Invalid(f"{seller.name} offers no plan '{plan[:60]}'; it offers: {known}", field="offers", value=plan)
    offer = there[plan].offer
    if offer.reaches(row.slug, row.type):
        return offer
    if isinstance(offer.to, str):
        message = f"{offer.name} is offered to all {offer.to}, and {row.name} is a {row.type}; change that offer first"
        raise Invalid(message, field="offers", value=plan)
    if not offer.to:
        raise Invalid(f"{offer.name} is off sale; offer it to somebody first", field="offers", value=plan)
    return offer
