"""Limits by site and pool: tables and queries.

Rivals meet in the row of the same holder and measure in `gradumen.store.quotas.tables.QuotaRow`.
"""

from collections.abc import Collection
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import ForeignKey, String, delete, func, select, update
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.exact import add
from gradumen.store.columns import Base, Quantity, ascii_text
from gradumen.store.quotas.promised import raise_promised
from gradumen.store.quotas.tables import QuotaChangeRow

Spot = tuple[UUID, str, UUID]
"""Who gives, the measure, and the site or pool."""


class SiteQuotaRow(Base):
    """What a holder may have of a measure at a site, or of a pool there: ``spot_id`` is the one or the other."""

    __tablename__ = "site_quotas"

    holder_id: Mapped[UUID] = mapped_column(primary_key=True)
    measure: Mapped[str] = mapped_column(ascii_text(32), primary_key=True)
    spot_id: Mapped[UUID] = mapped_column(primary_key=True)
    site_id: Mapped[UUID] = mapped_column(ForeignKey("sites.id", ondelete="RESTRICT"))
    pool_id: Mapped[UUID | None] = mapped_column(ForeignKey("pools.id", ondelete="RESTRICT"))
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    giver_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    next_giver_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    limit_value: Mapped[Decimal] = mapped_column(Quantity)
    label: Mapped[str | None] = mapped_column(String(120))


def site_quotas_of(tx: Session, organisation: UUID) -> list[SiteQuotaRow]:
    """The limits by site and pool of an organisation and its projects, as they stand in this transaction."""
    query = select(SiteQuotaRow).where(SiteQuotaRow.organisation_id == organisation)
    return list(tx.scalars(query, execution_options={"populate_existing": True}))


def held_at(tx: Session, holders: Collection[UUID]) -> dict[tuple[UUID, str, UUID], SiteQuotaRow]:
    """The limits of holders by holder, measure, and site or pool, as they stand in this transaction."""
    query = select(SiteQuotaRow).where(SiteQuotaRow.holder_id.in_(holders))
    rows = tx.scalars(query, execution_options={"populate_existing": True})
    return {(row.holder_id, row.measure, row.spot_id): row for row in rows}


def given_at(tx: Session, givers: Collection[UUID]) -> dict[Spot, Decimal]:
    """What givers have passed on of each measure at each site and of each pool, and hold for who is to come."""
    found: dict[Spot, Decimal] = {}
    for column in (SiteQuotaRow.giver_id, SiteQuotaRow.next_giver_id):
        query = (
            select(column, SiteQuotaRow.measure, SiteQuotaRow.spot_id, func.sum(SiteQuotaRow.limit_value))
            .where(column.in_(givers))
            .group_by(column, SiteQuotaRow.measure, SiteQuotaRow.spot_id)
        )
        for giver, measure, spot, total in tx.execute(query):
            if giver is not None:
                found[giver, measure, spot] = add([found.get((giver, measure, spot), Decimal(0)), Decimal(total)])
    return found


def is_given(tx: Session, spot: UUID) -> bool:
    """Whether anybody has a limit at a site, or of a pool; at a site also of its pools."""
    row = SiteQuotaRow
    query = select(row.holder_id).where((row.spot_id == spot) | (row.site_id == spot))
    return tx.scalars(query.limit(1)).first() is not None


def taken_at(tx: Session, giver: UUID, measure: str, spot: UUID) -> dict[UUID, Decimal]:
    """What those have at a spot to whom somebody gave it, or will; projects of its own by their organisation."""
    row = SiteQuotaRow
    given = (row.giver_id == giver) | (row.next_giver_id == giver)
    query = select(row.organisation_id, func.sum(row.limit_value)).where(given, row.measure == measure)
    rows = tx.execute(query.where(row.spot_id == spot).group_by(row.organisation_id))
    return {organisation: Decimal(total) for organisation, total in rows}


def holders_at(tx: Session, spot: UUID) -> set[UUID]:
    """The organisations that have, or whose projects have, limits at a spot."""
    return set(tx.scalars(select(SiteQuotaRow.organisation_id).where(SiteQuotaRow.spot_id == spot)))


def sites_of_holder(tx: Session, holder: UUID) -> set[UUID]:
    """The sites at which an organisation, or a project, has limits of its own."""
    return set(tx.scalars(select(SiteQuotaRow.site_id).where(SiteQuotaRow.holder_id == holder)))


def used_sites(tx: Session, organisations: Collection[UUID], sites: Collection[UUID]) -> int:
    """How many of some organisations have a limit at one of some sites."""
    row = SiteQuotaRow
    query = select(func.count(row.organisation_id.distinct())).where(
        row.organisation_id.in_(organisations), row.site_id.in_(sites)
    )
    return tx.scalar(query) or 0


def note_site_change(tx: Session, row: SiteQuotaRow, at: datetime, *, is_set: bool) -> None:
    """Note what a holder may have at a site, or of a pool, from a moment on."""
    tx.add(
        QuotaChangeRow(
            organisation_id=row.organisation_id,
            project_id=row.project_id,
            measure=row.measure,
            limit_value=row.limit_value if is_set else None,
            is_set=is_set,
            changed_at=at,
            site_id=row.site_id,
            pool_id=row.pool_id,
        )
    )
    raise_promised(tx, row.organisation_id, at)


def release_site_quotas(tx: Session, organisation: UUID, at: datetime) -> None:
    """Give back all that an organisation and its projects hold at sites and of pools."""
    for row in site_quotas_of(tx, organisation):
        note_site_change(tx, row, at, is_set=False)
    tx.flush()
    tx.execute(delete(SiteQuotaRow).where(SiteQuotaRow.organisation_id == organisation))


def name_site_givers(tx: Session, holder: UUID, *, giver: UUID | None, coming: UUID | None) -> None:
    """Who gives what an organisation holds at sites, where it changes, and who will."""
    values: dict[str, Any] = {"next_giver_id": coming}
    if giver is not None:
        values["giver_id"] = giver
    tx.execute(
        update(SiteQuotaRow).where(SiteQuotaRow.holder_id == holder).values(**values),
        execution_options={"synchronize_session": False},
    )
