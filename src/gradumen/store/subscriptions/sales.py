"""Queries of what is sold to whom: which cards price it, which tiers are had, whom a change concerns."""

from collections import Counter
from collections.abc import Collection
from datetime import date
from uuid import UUID

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session

from gradumen.store.catalogue.tables import PlanRow, PlanVersionRow, RateCardRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow


def cards_bought_by(tx: Session, buyers: Collection[UUID]) -> Counter[UUID]:
    """The cards that price what organisations buy, with how many supply lines each prices."""
    query = select(SupplyLineRow.rate_card_id).where(SupplyLineRow.buyer_id.in_(buyers), ~SupplyLineRow.void)
    return Counter(tx.scalars(query))


def prices_any(tx: Session, card: UUID, buyers: Collection[UUID]) -> bool:
    """Whether a card prices anything that organisations buy."""
    query = select(SupplyLineRow.id).where(SupplyLineRow.rate_card_id == card, SupplyLineRow.buyer_id.in_(buyers))
    return tx.scalars(query.where(~SupplyLineRow.void).limit(1)).first() is not None


def tiers_had(tx: Session, organisations: Collection[UUID]) -> list[tuple[UUID, str, str]]:
    """Organisation, plan and tier of all that organisations subscribe, or subscribed, to."""
    rows = tx.execute(
        select(SubscriptionRow.organisation_id, PlanRow.slug, SupplyLineRow.tier)
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .join(PlanRow, PlanRow.id == SubscriptionRow.plan_id)
        .where(SubscriptionRow.organisation_id.in_(organisations), SupplyLineRow.depth == 0, ~SupplyLineRow.void)
    )
    return [(organisation, plan, tier) for organisation, plan, tier in rows]


def subscribed_lines(tx: Session, plan: UUID, day: date) -> list[tuple[SubscriptionRow, SupplyLineRow, str]]:
    """The subscriptions to a plan that do not end by a day, with their own lines and their owners' slugs."""
    rows = tx.execute(
        select(SubscriptionRow, SupplyLineRow, OrganisationRow.slug)
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .join(OrganisationRow, OrganisationRow.id == SubscriptionRow.organisation_id)
        .where(SubscriptionRow.plan_id == plan, SupplyLineRow.depth == 0, ~SupplyLineRow.void)
        .where(SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > day))
        .order_by(OrganisationRow.slug, SubscriptionRow.name, SupplyLineRow.starts_on)
    )
    return [(subscription, line, owner) for subscription, line, owner in rows]


_PROMISING = (
    select(SubscriptionRow, SupplyLineRow, PlanVersionRow)
    .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
    .join(PlanVersionRow, PlanVersionRow.id == SupplyLineRow.plan_version_id)
    .where(SubscriptionRow.organisation_id == bindparam("organisation"), SupplyLineRow.depth == 0, ~SupplyLineRow.void)
    .where(SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > bindparam("day")))
    .order_by(SubscriptionRow.id, SupplyLineRow.starts_on)
)


def promising_lines(
    tx: Session, organisation: UUID, day: date
) -> list[tuple[SubscriptionRow, SupplyLineRow, PlanVersionRow]]:
    """An organisation's subscriptions that do not end by a day, with their own lines and versions of the plan."""
    rows = tx.execute(_PROMISING, {"organisation": organisation, "day": day})
    return [(subscription, line, version) for subscription, line, version in rows]


def bought_lines(
    tx: Session, buyers: Collection[UUID], day: date
) -> list[tuple[SupplyLineRow, RateCardRow, OrganisationRow]]:
    """What organisations buy of others and that does not end by a day, with the cards and their sellers."""
    rows = tx.execute(
        select(SupplyLineRow, RateCardRow, OrganisationRow)
        .join(RateCardRow, RateCardRow.id == SupplyLineRow.rate_card_id)
        .join(OrganisationRow, OrganisationRow.id == SupplyLineRow.seller_id)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .where(SupplyLineRow.buyer_id.in_(buyers), SupplyLineRow.seller_id != SupplyLineRow.buyer_id)
        .where(SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > day), ~SupplyLineRow.void)
        .where(SupplyLineRow.ends_on.is_(None) | (SupplyLineRow.ends_on > day))
    )
    return [(line, card, seller) for line, card, seller in rows]


def priced_by(tx: Session, card: UUID) -> dict[UUID, date]:
    """The organisations with subscriptions that a card prices, each with the first day of these."""
    rows = tx.execute(
        select(SubscriptionRow.organisation_id, func.min(SubscriptionRow.starts_on))
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .where(SupplyLineRow.rate_card_id == card, ~SupplyLineRow.void)
        .group_by(SubscriptionRow.organisation_id)
    )
    return dict(rows.all())


def lines_in(
    tx: Session, seller: UUID, first: date, until: date, buyers: Collection[UUID] | None
) -> list[tuple[SupplyLineRow, SubscriptionRow]]:
    """A seller's lines of subscriptions that cover a day from one up to another, by subscriber, name and day."""
    query = (
        select(SupplyLineRow, SubscriptionRow)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .join(OrganisationRow, OrganisationRow.id == SubscriptionRow.organisation_id)
        .where(
            SupplyLineRow.seller_id == seller,
            ~SupplyLineRow.void,
            SubscriptionRow.starts_on < until,
            SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > first),
            SubscriptionRow.ends_on.is_(None) | (SupplyLineRow.starts_on < SubscriptionRow.ends_on),
        )
        .order_by(OrganisationRow.slug, SubscriptionRow.name, SupplyLineRow.starts_on)
    )
    rows = tx.execute(query if buyers is None else query.where(SupplyLineRow.buyer_id.in_(buyers)))
    return [(line, subscription) for line, subscription in rows]


def first_day_sold(tx: Session, seller: UUID) -> date | None:
    """The first day that any supply line of a seller covers."""
    return tx.scalar(select(func.min(SupplyLineRow.starts_on)).where(SupplyLineRow.seller_id == seller))


def sold_links(tx: Session, seller: UUID | None = None) -> list[tuple[UUID, UUID, date]]:
    """Sellers, all or one, and buyers between whom anything is or was sold, and the first day on which."""
    query = (
        select(SupplyLineRow.seller_id, SupplyLineRow.buyer_id, func.min(SupplyLineRow.starts_on))
        .where(~SupplyLineRow.void)
        .group_by(SupplyLineRow.seller_id, SupplyLineRow.buyer_id)
        .order_by(SupplyLineRow.seller_id, SupplyLineRow.buyer_id)
    )
    rows = tx.execute(query if seller is None else query.where(SupplyLineRow.seller_id == seller))
    return [(sold_by, buyer, first) for sold_by, buyer, first in rows]


def currencies_of(tx: Session, seller: UUID) -> dict[UUID, str]:
    """A currency in which a seller charges each buyer."""
    rows = tx.execute(
        select(SupplyLineRow.buyer_id, RateCardRow.currency)
        .join(RateCardRow, RateCardRow.id == SupplyLineRow.rate_card_id)
        .where(SupplyLineRow.seller_id == seller, ~SupplyLineRow.void)
        .distinct()
    )
    return dict(rows.all())


def suppliers_of(tx: Session, buyer: UUID) -> set[UUID]:
    """Those of whom an organisation buys anything."""
    query = select(SupplyLineRow.seller_id).where(SupplyLineRow.buyer_id == buyer, ~SupplyLineRow.void)
    return set(tx.scalars(query))
