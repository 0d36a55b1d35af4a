"""Sites, and who may use which of them: tables and queries."""

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

from sqlalchemy import ForeignKey, String, UniqueConstraint, delete, insert, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


class SiteRow(Base):
    """A place where an organisation has capacity, for itself and those below it."""

    __tablename__ = "sites"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    place: Mapped[str | None] = mapped_column(String(120))
    zone: Mapped[str] = mapped_column(ascii_text(64))
    version: Mapped[int]
    retired_at: Mapped[datetime | None] = mapped_column(Moment)


class PermittedSiteRow(Base):
    """An organisation may use this site of those that its seller may; who has no row may use all of them."""

    __tablename__ = "permitted_sites"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    site_id: Mapped[UUID] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"), primary_key=True)


class ProjectSiteRow(Base):
    """A project may have limits at this site of those that its organisation may use; who has no row at all of them."""

    __tablename__ = "project_sites"

    project_id: Mapped[UUID] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"), primary_key=True)
    site_id: Mapped[UUID] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"), primary_key=True)


def project_sites(tx: Session, project: UUID) -> set[UUID] | None:
    """The sites that a project is held to; None is to none in particular."""
    found = set(tx.scalars(select(ProjectSiteRow.site_id).where(ProjectSiteRow.project_id == project)))
    return found or None


def set_project_sites(tx: Session, project: UUID, sites: Collection[UUID]) -> None:
    """Hold a project to some sites; to none in particular where there are none."""
    tx.execute(delete(ProjectSiteRow).where(ProjectSiteRow.project_id == project))
    if sites:
        tx.execute(insert(ProjectSiteRow), [{"project_id": project, "site_id": site} for site in sites])


def sites_of(tx: Session, organisations: Collection[UUID]) -> list[SiteRow]:
    """The sites of organisations that are in use, by slug."""
    row = SiteRow
    query = select(row).where(row.organisation_id.in_(organisations), row.retired_at.is_(None))
    return list(tx.scalars(query.order_by(row.slug, row.id)))


def find_site(tx: Session, site: UUID, *, lock: bool = False) -> SiteRow | None:
    """A site by its id."""
    return tx.get(SiteRow, site, with_for_update=lock or None, populate_existing=True)


def sites_by_id(tx: Session, sites: Collection[UUID]) -> dict[UUID, SiteRow]:
    """Sites, retired ones too."""
    return {row.id: row for row in tx.scalars(select(SiteRow).where(SiteRow.id.in_(sites)))}


def permitted(tx: Session, organisations: Collection[UUID]) -> dict[UUID, set[UUID]]:
    """The sites that some organisations are held to; who is held to none in particular is left out."""
    row = PermittedSiteRow
    found: dict[UUID, set[UUID]] = {}
    query = select(row.organisation_id, row.site_id).where(row.organisation_id.in_(organisations))
    for organisation, site in tx.execute(query):
        found.setdefault(organisation, set()).add(site)
    return found


def set_permitted(tx: Session, organisation: UUID, sites: Collection[UUID]) -> None:
    """Hold an organisation to some sites; to none in particular where there are none."""
    tx.execute(delete(PermittedSiteRow).where(PermittedSiteRow.organisation_id == organisation))
    if sites:
        tx.execute(insert(PermittedSiteRow), [{"organisation_id": organisation, "site_id": site} for site in sites])
