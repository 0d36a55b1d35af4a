"""Who stands on a document: seller, buyer, and who pays in the buyer's place."""

from typing import Any

from gradumen.store.organisations.details import details_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import DetailsRow, OrganisationRow
from gradumen.store.unit_of_work import Session


def parties_of(tx: Session, seller: OrganisationRow, buyer: OrganisationRow) -> dict[str, Any]:
    """The parties as they are known now, as a document keeps them."""
    details = details_of(tx, [seller.id, buyer.id])
    held = details.get(buyer.id)
    payer = organisations_by_id(tx, [held.payer_id]).get(held.payer_id) if held and held.payer_id else None
    found = {"seller": party(seller, details.get(seller.id)), "buyer": party(buyer, held)}
    if payer is not None:
        found["payer"] = party(payer, details_of(tx, [payer.id]).get(payer.id))
    return found


def party(row: OrganisationRow, details: DetailsRow | None = None) -> dict[str, Any]:
    """One of them: its name, and what of its papers is known."""
    found: dict[str, Any] = {"slug": row.slug, "name": row.name, "country": row.country}
    if details is None:
        return found
    town = " ".join(each for each in (details.postal_code, details.town) if each)
    lines = [*(details.street or "").splitlines(), town, details.region or ""]
    return {
        **found,
        "legal_name": details.legal_name,
        "registration": details.registration,
        "tax_id": details.tax_id,
        "address": [line for line in lines if line],
    }
