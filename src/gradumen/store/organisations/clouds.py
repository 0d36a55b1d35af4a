"""Clouds and the accounts in them: tables and queries."""

from collections.abc import Collection, Sequence
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.organisations.clouds import AccountState
from gradumen.store.columns import Base, Moment, ascii_text


class CloudRow(Base):
    """A cloud that an organisation registered; with ``shared`` sellers that buy from it may use it too."""

    __tablename__ = "clouds"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    place: Mapped[str | None] = mapped_column(String(120))
    site_id: Mapped[UUID | None] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"))
    kind: Mapped[str] = mapped_column(ascii_text(32))
    endpoint: Mapped[str] = mapped_column(ascii_text(300))
    sealed: Mapped[str] = mapped_column(Text)
    shared: Mapped[bool]
    set_aside_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    """For whom alone it is, with all below; null is for all."""
    version: Mapped[int]
    retired_at: Mapped[datetime | None] = mapped_column(Moment)


class CloudAccountRow(Base):
    """An account in a cloud of an organisation; its ``tag`` is noted before anything is asked of the cloud."""

    __tablename__ = "cloud_accounts"
    __table_args__ = (
        UniqueConstraint("cloud_id", "external_id"),
        Index("ix_cloud_accounts_organisation_id", "organisation_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    cloud_id: Mapped[UUID] = mapped_column(ForeignKey("clouds.id", ondelete="RESTRICT"))
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    name: Mapped[str] = mapped_column(String(190))
    tag: Mapped[str] = mapped_column(ascii_text(64), unique=True)
    external_id: Mapped[str | None] = mapped_column(String(190, collation="utf8mb4_bin"))
    state: Mapped[str] = mapped_column(ascii_text(16))
    changed_at: Mapped[datetime] = mapped_column(Moment)
    with_people: Mapped[bool]
    """Whether the people that its organisation began with are users of it."""
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="SET NULL"))
    """Whose what is used there is, of its organisation."""
    billed_from: Mapped[date | None]
    """From which day that is so; None where it was made for it."""
    kept: Mapped[list[str] | None] = mapped_column(JSON(none_as_null=True))
    """The measures whose limits its cloud holds it to; None where that was never asked of it."""


def clouds_of(tx: Session, organisations: Collection[UUID]) -> list[CloudRow]:
    """The clouds of organisations that are in use, by slug."""
    row = CloudRow
    query = select(row).where(row.organisation_id.in_(organisations), row.retired_at.is_(None))
    return list(tx.scalars(query.order_by(row.slug, row.id)))


def find_cloud(tx: Session, cloud: UUID, *, lock: bool = False) -> CloudRow | None:
    """A cloud by its id."""
    return tx.get(CloudRow, cloud, with_for_update=lock or None, populate_existing=True)


def sealed_clouds(tx: Session) -> Sequence[CloudRow]:
    """Clouds whose token is kept, for keys to change."""
    return tx.scalars(select(CloudRow).where(CloudRow.sealed != "").with_for_update()).all()


def clouds_by_id(tx: Session, clouds: Collection[UUID]) -> dict[UUID, CloudRow]:
    """Clouds, retired ones too."""
    return {row.id: row for row in tx.scalars(select(CloudRow).where(CloudRow.id.in_(clouds)))}


def accounts_of(tx: Session, organisation: UUID) -> list[CloudAccountRow]:
    """The accounts of an organisation that are not removed, in the order of their names."""
    row = CloudAccountRow
    query = select(row).where(row.organisation_id == organisation, row.state != AccountState.REMOVED)
    return list(tx.scalars(query.order_by(row.name, row.id)))


def all_accounts_of(tx: Session, organisation: UUID) -> list[CloudAccountRow]:
    """The accounts that an organisation has or had."""
    row = CloudAccountRow
    return list(tx.scalars(select(row).where(row.organisation_id == organisation).order_by(row.name, row.id)))


def accounts_in(
    tx: Session, clouds: Collection[UUID], since: datetime | None = None, until: datetime | None = None
) -> list[CloudAccountRow]:
    """The accounts that are in clouds, by name; of some time those that came within it."""
    row = CloudAccountRow
    query = select(row).where(row.cloud_id.in_(clouds), row.state.in_((AccountState.MADE, AccountState.LINKED)))
    if since is not None and until is not None:
        query = query.where(row.changed_at >= since, row.changed_at < until)
    return list(tx.scalars(query.order_by(row.name, row.id)))


def find_account(tx: Session, account: UUID) -> CloudAccountRow | None:
    """An account by our own id, for a decision."""
    return tx.get(CloudAccountRow, account, with_for_update=True, populate_existing=True)
