"""Queries of what organisations are on paper, and of what their sellers write down about them."""

from collections.abc import Collection, Sequence
from uuid import UUID

from sqlalchemy import delete, insert, select
from sqlalchemy.dialects.mysql import insert as upsert
from sqlalchemy.orm import Session

from gradumen.store.organisations.tables import BillingContactRow, BuyerNotesRow, BuyerTagRow, DetailsRow


def details_of(tx: Session, organisations: Collection[UUID]) -> dict[UUID, DetailsRow]:
    """The details of those organisations of which any are known."""
    query = select(DetailsRow).where(DetailsRow.organisation_id.in_(organisations))
    return {row.organisation_id: row for row in tx.scalars(query)}


def lock_details(tx: Session, organisation: UUID) -> DetailsRow:
    """The details of an organisation for a change, made where there are none."""
    # Rivals that share a row that an INSERT finds, and then want it alone, could only begin again.
    found = tx.get(DetailsRow, organisation, with_for_update=True, populate_existing=True)
    if found is not None:
        return found
    tx.execute(upsert(DetailsRow).values(organisation_id=organisation, version=0).prefix_with("IGNORE"))
    return tx.get_one(DetailsRow, organisation, with_for_update=True, populate_existing=True)


def billing_contacts_of(tx: Session, organisation: UUID) -> list[BillingContactRow]:
    """Whom an organisation's documents are for, by name."""
    query = select(BillingContactRow).where(BillingContactRow.organisation_id == organisation)
    return list(tx.scalars(query.order_by(BillingContactRow.name, BillingContactRow.email)))


def set_billing_contacts(tx: Session, organisation: UUID, contacts: Sequence[tuple[str, str]]) -> None:
    """Put these names and addresses in the place of those that are there."""
    tx.execute(delete(BillingContactRow).where(BillingContactRow.organisation_id == organisation))
    rows = [{"organisation_id": organisation, "name": name, "email": email} for name, email in contacts]
    if rows:
        tx.execute(insert(BillingContactRow), rows)


def notes_of(tx: Session, seller: UUID, buyer: UUID) -> str:
    """What a seller wrote down about a buyer."""
    row = tx.get(BuyerNotesRow, (seller, buyer))
    return row.notes if row else ""


def set_notes(tx: Session, seller: UUID, buyer: UUID, notes: str) -> None:
    """Write it down in the place of what was there."""
    tx.merge(BuyerNotesRow(seller_id=seller, buyer_id=buyer, notes=notes))
    tx.flush()


def tags_of(tx: Session, sellers: Collection[UUID], buyers: Collection[UUID]) -> dict[UUID, list[str]]:
    """The tags that some sellers gave their buyers, by buyer, in their order."""
    if not sellers or not buyers:
        return {}
    tag = BuyerTagRow
    query = select(tag.buyer_id, tag.tag).where(tag.buyer_id.in_(buyers), tag.seller_id.in_(sellers))
    found: dict[UUID, list[str]] = {}
    for buyer, word in tx.execute(query.order_by(tag.tag)):
        found.setdefault(buyer, []).append(word)
    return found


def set_tags(tx: Session, seller: UUID, buyer: UUID, tags: Collection[str]) -> None:
    """Put these tags in the place of those that are there."""
    tag = BuyerTagRow
    tx.execute(delete(tag).where(tag.seller_id == seller, tag.buyer_id == buyer))
    if tags:
        tx.execute(insert(tag), [{"seller_id": seller, "buyer_id": buyer, "tag": word} for word in sorted(tags)])


def tagged(tx: Session, sellers: Collection[UUID], tag: str) -> set[UUID]:
    """The buyers to which some sellers gave a tag."""
    row = BuyerTagRow
    return set(tx.scalars(select(row.buyer_id).where(row.seller_id.in_(sellers), row.tag == tag)))
