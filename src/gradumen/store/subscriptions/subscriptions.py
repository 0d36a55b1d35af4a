"""Queries of subscriptions, their supply lines and accepted terms."""

from collections.abc import Collection
from datetime import date
from uuid import UUID

from sqlalchemy import ColumnElement, exists, func, select
from sqlalchemy.orm import Session, aliased

from gradumen.store.access.tables import UserRow
from gradumen.store.catalogue.tables import PlanRow, PlanVersionRow
from gradumen.store.subscriptions.tables import AcceptedTermsRow, SubscriptionRow, SupplyLineRow


def _visible(members: Collection[UUID]) -> ColumnElement[bool]:
    """The subscriptions of some organisations, and those on whose links they are."""
    concerned = select(SupplyLineRow.subscription_id).where(
        SupplyLineRow.seller_id.in_(members) | SupplyLineRow.buyer_id.in_(members), ~SupplyLineRow.void
    )
    return SubscriptionRow.organisation_id.in_(members) | SubscriptionRow.id.in_(concerned)


def is_visible(tx: Session, subscription: UUID, members: Collection[UUID]) -> bool:
    """Whether a subscription is one of these organisations', or of a link that they are on."""
    query = select(SubscriptionRow.id).where(SubscriptionRow.id == subscription, _visible(members))
    return tx.scalars(query).first() is not None


def visible_subscriptions(tx: Session, owners: Collection[UUID], members: Collection[UUID]) -> list[SubscriptionRow]:
    """The subscriptions of owners, as far as they concern members of these organisations."""
    query = select(SubscriptionRow).where(SubscriptionRow.organisation_id.in_(owners), _visible(members))
    return list(tx.scalars(query))


def count_running(tx: Session, owners: Collection[UUID], day: date, members: Collection[UUID] | None = None) -> int:
    """How many subscriptions of owners are not over before a day; of those that concern some members, or all."""
    query = select(func.count()).where(
        SubscriptionRow.organisation_id.in_(owners),
        SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > day),
    )
    return tx.scalar(query if members is None else query.where(_visible(members))) or 0


def find_subscription(tx: Session, organisation: UUID, name: str) -> SubscriptionRow | None:
    """An organisation's subscription of a name."""
    query = select(SubscriptionRow).where(SubscriptionRow.organisation_id == organisation, SubscriptionRow.name == name)
    return tx.scalars(query).first()


def subscriptions_by_id(tx: Session, ids: Collection[UUID]) -> dict[UUID, SubscriptionRow]:
    """Subscriptions by id."""
    return {row.id: row for row in tx.scalars(select(SubscriptionRow).where(SubscriptionRow.id.in_(ids)))}


def own_lines(tx: Session, subscriptions: Collection[UUID]) -> list[tuple[SupplyLineRow, PlanVersionRow]]:
    """The lines on the subscribers' own links with the versions that they have, in the order of their days."""
    rows = tx.execute(
        select(SupplyLineRow, PlanVersionRow)
        .join(PlanVersionRow, PlanVersionRow.id == SupplyLineRow.plan_version_id)
        .where(SupplyLineRow.subscription_id.in_(subscriptions), SupplyLineRow.depth == 0, ~SupplyLineRow.void)
        .order_by(SupplyLineRow.starts_on)
    )
    return [(line, version) for line, version in rows]


def nearest_lines(
    tx: Session, subscriptions: Collection[UUID], members: Collection[UUID]
) -> list[tuple[SupplyLineRow, PlanVersionRow]]:
    """The same of the links nearest to the subscribers that some organisations sell or buy on."""
    here, nearer = SupplyLineRow, aliased(SupplyLineRow)
    ours, ours_too = (each.seller_id.in_(members) | each.buyer_id.in_(members) for each in (here, nearer))
    rows = tx.execute(
        select(here, PlanVersionRow)
        .join(PlanVersionRow, PlanVersionRow.id == here.plan_version_id)
        .where(here.subscription_id.in_(subscriptions), ours, ~here.void)
        .where(
            ~exists().where(
                nearer.subscription_id == here.subscription_id,
                nearer.depth < here.depth,
                ours_too,
                ~nearer.void,
                nearer.starts_on <= here.starts_on,
                nearer.ends_on.is_(None) | (nearer.ends_on > here.starts_on),
            )
        )
        .order_by(here.starts_on)
    )
    return [(line, version) for line, version in rows]


def lines_of(tx: Session, subscription: UUID) -> list[SupplyLineRow]:
    """A subscription's lines on all links, in the order of their days; void ones are left out."""
    return [line for line in all_lines_of(tx, subscription) if not line.void]


def all_lines_of(tx: Session, subscription: UUID) -> list[SupplyLineRow]:
    """The same, void ones among them."""
    query = select(SupplyLineRow).where(SupplyLineRow.subscription_id == subscription)
    return list(tx.scalars(query.order_by(SupplyLineRow.starts_on)))


def sold_lines(
    tx: Session, seller: UUID, organisation: UUID, subscription: str
) -> list[tuple[SubscriptionRow, SupplyLineRow]]:
    """The lines by which a seller sells a subscription of an organisation, in the order of their days."""
    rows = tx.execute(
        select(SubscriptionRow, SupplyLineRow)
        .join(SupplyLineRow, SupplyLineRow.subscription_id == SubscriptionRow.id)
        .where(
            SubscriptionRow.organisation_id == organisation,
            SubscriptionRow.name == subscription,
            SupplyLineRow.seller_id == seller,
            ~SupplyLineRow.void,
        )
        .order_by(SupplyLineRow.starts_on)
    )
    return [(row, line) for row, line in rows]


def all_sold_lines(tx: Session, seller: UUID, day: date) -> list[tuple[SupplyLineRow, SubscriptionRow, PlanVersionRow]]:
    """All lines by which a seller sells what does not end by a day, with the versions that they have."""
    rows = tx.execute(
        select(SupplyLineRow, SubscriptionRow, PlanVersionRow)
        .join(SubscriptionRow, SubscriptionRow.id == SupplyLineRow.subscription_id)
        .join(PlanVersionRow, PlanVersionRow.id == SupplyLineRow.plan_version_id)
        .where(SupplyLineRow.seller_id == seller, ~SupplyLineRow.void)
        .where(SubscriptionRow.ends_on.is_(None) | (SubscriptionRow.ends_on > day))
        .where(SupplyLineRow.ends_on.is_(None) | (SupplyLineRow.ends_on > day))
        .order_by(SubscriptionRow.id, SupplyLineRow.starts_on)
    )
    return [(line, row, version) for line, row, version in rows]


def newest_plan_version(tx: Session, slug: str) -> PlanVersionRow | None:
    """The newest version of a plan."""
    query = select(PlanVersionRow).join(PlanRow).where(PlanRow.slug == slug)
    return tx.scalars(query.order_by(PlanVersionRow.number.desc()).limit(1)).first()


def find_plan_version(tx: Session, plan: UUID, number: int) -> PlanVersionRow | None:
    """The version of a plan that has a number."""
    query = select(PlanVersionRow).where(PlanVersionRow.plan_id == plan, PlanVersionRow.number == number)
    return tx.scalars(query).first()


def terms_accepted(tx: Session, subscription: UUID) -> set[str]:
    """The versions of terms that were accepted of a subscription."""
    return set(tx.scalars(select(AcceptedTermsRow.terms).where(AcceptedTermsRow.subscription_id == subscription)))


def acceptances(tx: Session, subscriptions: Collection[UUID]) -> list[tuple[AcceptedTermsRow, int, str]]:
    """What was accepted of subscriptions, with the version of the plan and who did it, in the order of time."""
    rows = tx.execute(
        select(AcceptedTermsRow, PlanVersionRow.number, UserRow.name)
        .join(PlanVersionRow, PlanVersionRow.id == AcceptedTermsRow.plan_version_id)
        .join(UserRow, UserRow.id == AcceptedTermsRow.accepted_by)
        .where(AcceptedTermsRow.subscription_id.in_(subscriptions))
        .order_by(AcceptedTermsRow.accepted_at)
    )
    return [(row, number, name) for row, number, name in rows]
