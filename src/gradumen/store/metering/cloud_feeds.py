"""By which feed the usage of a cloud comes: table and queries."""

from collections.abc import Collection
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import ForeignKey, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment
from gradumen.store.metering.tables import FeedRow, ResourceRow, UsageDayRow
from gradumen.store.organisations.clouds import CloudRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow


class CloudFeedRow(Base):
    """That what is used in a cloud comes by a feed of the cloud's owner."""

    __tablename__ = "cloud_feeds"

    cloud_id: Mapped[UUID] = mapped_column(ForeignKey("clouds.id", ondelete="RESTRICT"), primary_key=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    set_at: Mapped[datetime] = mapped_column(Moment)


def feeds_of_clouds(tx: Session, clouds: Collection[UUID]) -> dict[UUID, FeedRow]:
    """The feeds by which the usage of clouds comes, of those that have one."""
    query = select(CloudFeedRow.cloud_id, FeedRow).join(FeedRow, FeedRow.id == CloudFeedRow.feed_id)
    return dict(tx.execute(query.where(CloudFeedRow.cloud_id.in_(clouds))).all())


def clouds_of_feeds(tx: Session, owners: Collection[UUID]) -> dict[int, tuple[str, str]]:
    """The clouds of some organisations whose usage comes by a feed, by feed: paths and names, of several all."""
    query = (
        select(CloudFeedRow.feed_id, OrganisationRow.slug, CloudRow.slug, CloudRow.name)
        .join(CloudRow, CloudRow.id == CloudFeedRow.cloud_id)
        .join(OrganisationRow, OrganisationRow.id == CloudRow.organisation_id)
        .where(CloudRow.organisation_id.in_(owners))
        .order_by(OrganisationRow.slug, CloudRow.slug)
    )
    found: dict[int, tuple[str, str]] = {}
    for feed, owner, slug, name in tx.execute(query):
        paths, names = found.get(feed, ("", ""))
        found[feed] = (f"{paths}, {owner}/{slug}", f"{names}, {name}") if paths else (f"{owner}/{slug}", name)
    return found


def set_feed(tx: Session, cloud: UUID, feed: int, at: datetime) -> None:
    """Let the usage of a cloud come by a feed."""
    tx.merge(CloudFeedRow(cloud_id=cloud, feed_id=feed, set_at=at))
    tx.flush()


def drop_feed(tx: Session, cloud: UUID) -> bool:
    """Let it come by none; False where it did not."""
    row = tx.get(CloudFeedRow, cloud)
    if row is not None:
        tx.delete(row)
        tx.flush()
    return row is not None


def clouds_with_feeds(tx: Session, owner: UUID) -> list[tuple[CloudRow, FeedRow]]:
    """The clouds of an organisation whose usage comes by a feed, each with that."""
    query = select(CloudRow, FeedRow).join(CloudFeedRow, CloudFeedRow.cloud_id == CloudRow.id)
    query = query.join(FeedRow, FeedRow.id == CloudFeedRow.feed_id).where(CloudRow.organisation_id == owner)
    return [(cloud, feed) for cloud, feed in tx.execute(query.order_by(CloudRow.slug))]


def first_used(tx: Session, projects: Collection[UUID], feed: int) -> date | None:
    """The first day on which a feed has measured something of projects."""
    row = UsageDayRow
    query = select(func.min(row.day)).join(ResourceRow, ResourceRow.id == row.resource_id)
    of = select(ProjectRow.number).where(ProjectRow.id.in_(projects))
    return tx.scalar(query.where(row.project_number.in_(of), ResourceRow.feed_id == feed))


def projects_used(tx: Session, projects: Collection[UUID], feed: int) -> set[UUID]:
    """Those of projects of which a feed has measured something."""
    row = UsageDayRow
    used = select(row.day).join(ResourceRow, ResourceRow.id == row.resource_id)
    used = used.where(row.project_number == ProjectRow.number, ResourceRow.feed_id == feed)
    return set(tx.scalars(select(ProjectRow.id).where(ProjectRow.id.in_(projects), used.exists())))
