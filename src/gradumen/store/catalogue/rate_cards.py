"""Queries of rate cards, their versions, and unpublished changes of the catalogue."""

from collections.abc import Collection
from uuid import UUID

from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from gradumen.store.access.tables import UserRow
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow, UnpublishedChangeRow
from gradumen.store.organisations.tables import OrganisationRow

_CARDS = select(RateCardRow).where(RateCardRow.organisation_id == bindparam("seller")).order_by(RateCardRow.slug)


def cards_of(tx: Session, seller: UUID) -> list[RateCardRow]:
    """A seller's cards, by slug."""
    return list(tx.scalars(_CARDS, {"seller": seller}))


def find_card(tx: Session, seller: UUID, slug: str) -> RateCardRow | None:
    """A seller's card of a slug."""
    query = select(RateCardRow).where(RateCardRow.organisation_id == seller, RateCardRow.slug == slug)
    return tx.scalars(query).first()


def find_card_of(tx: Session, seller: str, slug: str) -> tuple[RateCardRow, OrganisationRow] | None:
    """The card of a path, with its seller."""
    query = (
        select(RateCardRow, OrganisationRow)
        .join(OrganisationRow, OrganisationRow.id == RateCardRow.organisation_id)
        .where(OrganisationRow.slug == seller, RateCardRow.slug == slug)
    )
    found = tx.execute(query).first()
    return (found[0], found[1]) if found else None


def cards_by_id(tx: Session, ids: Collection[UUID]) -> dict[UUID, RateCardRow]:
    """Cards by id."""
    return {row.id: row for row in tx.scalars(select(RateCardRow).where(RateCardRow.id.in_(ids)))}


def cards_seen(tx: Session, sellers: Collection[UUID], cards: Collection[UUID]) -> list[tuple[RateCardRow, str]]:
    """The cards of sellers, and some others, with their sellers' slugs; by seller and slug."""
    rows = tx.execute(
        select(RateCardRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == RateCardRow.organisation_id)
        .where(RateCardRow.organisation_id.in_(sellers) | RateCardRow.id.in_(cards))
        .order_by(OrganisationRow.slug, RateCardRow.slug)
    )
    return [(row, seller) for row, seller in rows]


_VERSIONS = (
    select(RateCardRow, RateCardVersionRow)
    .join(RateCardVersionRow)
    .where(RateCardRow.id.in_(bindparam("cards", expanding=True)))
    .order_by(RateCardVersionRow.starts_on)
)


def card_versions(tx: Session, cards: Collection[UUID]) -> list[tuple[RateCardRow, RateCardVersionRow]]:
    """Cards with their versions, in the order of their days."""
    return [(card, version) for card, version in tx.execute(_VERSIONS, {"cards": [*cards]})]


_CARDS_OF = select(RateCardVersionRow.id, RateCardVersionRow.rate_card_id).where(
    RateCardVersionRow.id.in_(bindparam("versions", expanding=True))
)


def cards_of_versions(tx: Session, versions: Collection[UUID]) -> dict[UUID, UUID]:
    """The card of each version."""
    return dict(tx.execute(_CARDS_OF, {"versions": [*versions]}).all())


def versions_of(tx: Session, card: UUID) -> list[RateCardVersionRow]:
    """A card's versions, in the order of their days."""
    query = select(RateCardVersionRow).where(RateCardVersionRow.rate_card_id == card)
    return list(tx.scalars(query.order_by(RateCardVersionRow.starts_on)))


def versions_following(tx: Session, base: str) -> list[tuple[RateCardVersionRow, OrganisationRow]]:
    """All versions of the cards that ever followed a card (``seller/card``), by card and day, with their sellers."""
    once = select(RateCardVersionRow.rate_card_id).where(
        RateCardVersionRow.document["derived"]["base"].as_string() == base
    )
    rows = tx.execute(
        select(RateCardVersionRow, OrganisationRow)
        .join(RateCardRow, RateCardRow.id == RateCardVersionRow.rate_card_id)
        .join(OrganisationRow, OrganisationRow.id == RateCardRow.organisation_id)
        .where(RateCardVersionRow.rate_card_id.in_(once))
        .order_by(RateCardVersionRow.rate_card_id, RateCardVersionRow.starts_on)
    )
    return [(version, owner) for version, owner in rows]


def find_unpublished_change(
    tx: Session, seller: UUID, kind: str, slug: str, *, lock: bool = False
) -> UnpublishedChangeRow | None:
    """A seller's unpublished change."""
    query = select(UnpublishedChangeRow).where(
        UnpublishedChangeRow.organisation_id == seller,
        UnpublishedChangeRow.kind == kind,
        UnpublishedChangeRow.slug == slug,
    )
    return tx.scalars(query.with_for_update() if lock else query).first()


def unpublished_changes_of(tx: Session, seller: UUID) -> list[tuple[UnpublishedChangeRow, str]]:
    """A seller's unpublished changes with the names of who edited them last, by kind and slug."""
    rows = tx.execute(
        select(UnpublishedChangeRow, UserRow.name)
        .join(UserRow, UserRow.id == UnpublishedChangeRow.edited_by)
        .where(UnpublishedChangeRow.organisation_id == seller)
        .order_by(UnpublishedChangeRow.kind, UnpublishedChangeRow.slug)
    )
    return [(row, name) for row, name in rows]


def card_slug(tx: Session, version: UUID) -> str:
    """The card of a version."""
    query = select(RateCardRow.slug).join(RateCardVersionRow, RateCardVersionRow.rate_card_id == RateCardRow.id)
    return tx.scalars(query.where(RateCardVersionRow.id == version)).one()
