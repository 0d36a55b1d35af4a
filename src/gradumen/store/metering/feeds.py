"""Queries of feeds, who may send to them, and deliveries."""

from collections.abc import Collection
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.store.access.tables import MemberRow, UserRow
from gradumen.store.metering.tables import DeliveryRow, FeedRow, FeedSenderRow
from gradumen.store.organisations.tables import OrganisationRow


def drop_sender(tx: Session, organisation: UUID, user: UUID) -> None:
    """A user no longer sends to the feeds of an organisation."""
    feeds = select(FeedRow.id).where(FeedRow.organisation_id == organisation)
    tx.execute(delete(FeedSenderRow).where(FeedSenderRow.user_id == user, FeedSenderRow.feed_id.in_(feeds)))


def find_feed(tx: Session, organisation: str, slug: str) -> tuple[FeedRow, OrganisationRow] | None:
    """The feed of a path, with its organisation."""
    query = (
        select(FeedRow, OrganisationRow)
        .join(OrganisationRow, OrganisationRow.id == FeedRow.organisation_id)
        .where(OrganisationRow.slug == organisation, FeedRow.slug == slug)
    )
    found = tx.execute(query).first()
    return (found[0], found[1]) if found else None


def feeds_of(tx: Session, organisation: UUID) -> list[FeedRow]:
    """The feeds of an organisation, by slug."""
    return list(tx.scalars(select(FeedRow).where(FeedRow.organisation_id == organisation).order_by(FeedRow.slug)))


def feeds_by_id(tx: Session, numbers: Collection[int]) -> dict[int, FeedRow]:
    """Feeds by number."""
    return {row.id: row for row in tx.scalars(select(FeedRow).where(FeedRow.id.in_(numbers)))}


def find_member(tx: Session, organisation: UUID, email: str) -> UserRow | None:
    """The member of an organisation who has an address."""
    query = select(UserRow).join(MemberRow, MemberRow.user_id == UserRow.id)
    return tx.scalars(query.where(UserRow.email == email, MemberRow.organisation_id == organisation)).first()


def add_sender(tx: Session, feed: int, user: UUID) -> None:
    """A user may send to a feed."""
    tx.execute(insert(FeedSenderRow).values(feed_id=feed, user_id=user).prefix_with("IGNORE"))


def senders_of(tx: Session, feeds: Collection[int]) -> dict[int, list[str]]:
    """The addresses of those who may send to each of some feeds."""
    query = select(FeedSenderRow.feed_id, UserRow.email).join(UserRow, UserRow.id == FeedSenderRow.user_id)
    senders: dict[int, list[str]] = {feed: [] for feed in feeds}
    for feed, email in tx.execute(query.where(FeedSenderRow.feed_id.in_(feeds)).order_by(UserRow.email)):
        senders[feed].append(email)
    return senders


def newest_delivery(tx: Session, feeds: Collection[int]) -> UUID | None:
    """What came last by any of some feeds, by what it is called outside."""
    newest = select(func.max(DeliveryRow.id)).where(DeliveryRow.feed_id.in_(feeds)).scalar_subquery()
    return tx.scalar(select(DeliveryRow.public_id).where(DeliveryRow.id == newest))


def delivery_number(tx: Session, feed: int, delivery: UUID) -> int | None:
    """The number of a feed's delivery."""
    return tx.scalar(select(DeliveryRow.id).where(DeliveryRow.feed_id == feed, DeliveryRow.public_id == delivery))


def deliveries_of(tx: Session, feed: int, *, sent_by: UUID | None, before: int | None, limit: int) -> list[DeliveryRow]:
    """What was sent to a feed, newest first, all or by one sender."""
    query = select(DeliveryRow).where(DeliveryRow.feed_id == feed, DeliveryRow.is_read_again.is_(False))
    if sent_by is not None:
        query = query.where(DeliveryRow.sent_by == sent_by)
    if before is not None:
        query = query.where(DeliveryRow.id < before)
    return list(tx.scalars(query.order_by(DeliveryRow.id.desc()).limit(limit)))
