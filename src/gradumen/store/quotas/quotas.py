"""Queries of quotas."""

from collections.abc import Collection
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.store.access.members import is_open
from gradumen.store.access.tables import InvitationRow, MemberRow
from gradumen.store.organisations.tables import ProjectRow
from gradumen.store.quotas.tables import QuotaChangeRow, QuotaRow


def lock_quota(tx: Session, values: dict[str, Any]) -> None:
    """Write the row of a holder and measure, which rivals write too; ``values`` make it where it is new."""
    tx.execute(insert(QuotaRow).values(values).prefix_with("IGNORE"))
    tx.execute(
        update(QuotaRow)
        .where(QuotaRow.holder_id == values["holder_id"], QuotaRow.measure == values["measure"])
        .values(version=QuotaRow.version + 1)
    )


def quotas_of(tx: Session, organisation: UUID) -> list[QuotaRow]:
    """The quotas of an organisation and its projects."""
    return list(tx.scalars(select(QuotaRow).where(QuotaRow.organisation_id == organisation)))


def quotas_held(tx: Session, organisations: Collection[UUID]) -> list[QuotaRow]:
    """The quotas of organisations themselves, as they stand in this transaction."""
    query = select(QuotaRow).where(QuotaRow.holder_id.in_(organisations))
    return list(tx.scalars(query, execution_options={"populate_existing": True}))


def given_on(tx: Session, givers: Collection[UUID]) -> dict[tuple[UUID, str], tuple[Decimal, int]]:
    """What givers have passed on of each measure in all, and to how many without limit."""
    query = (
        select(
            QuotaRow.giver_id,
            QuotaRow.measure,
            func.sum(QuotaRow.limit_value),
            func.count() - func.count(QuotaRow.limit_value),
        )
        .where(QuotaRow.giver_id.in_(givers), QuotaRow.is_set)
        .group_by(QuotaRow.giver_id, QuotaRow.measure)
    )
    return {
        (giver, measure): (Decimal(total or 0), int(unlimited))
        for giver, measure, total, unlimited in tx.execute(query)
        if giver is not None
    }


def release_quotas(tx: Session, organisation: UUID, at: datetime) -> None:
    """Give back all that an organisation and its projects hold."""
    for row in quotas_of(tx, organisation):
        if row.is_set:
            row.is_set, row.limit_value = False, None
            note_change(tx, row, at)
    tx.flush()
    tx.execute(delete(QuotaRow).where(QuotaRow.organisation_id == organisation))


def note_change(tx: Session, row: QuotaRow, at: datetime) -> None:
    """Note what a holder may have from a moment on."""
    tx.add(
        QuotaChangeRow(
            organisation_id=row.organisation_id,
            project_id=row.project_id,
            measure=row.measure,
            limit_value=row.limit_value,
            is_set=row.is_set,
            changed_at=at,
        )
    )


def changes_of(
    tx: Session, organisation: UUID, measure: str | None, *, before: int | None, limit: int
) -> list[tuple[QuotaChangeRow, str | None]]:
    """What an organisation and its projects might have when, with the projects' slugs; the latest first."""
    change = QuotaChangeRow
    query = select(change, ProjectRow.slug).outerjoin(ProjectRow, ProjectRow.id == change.project_id)
    query = query.where(change.organisation_id == organisation)
    if measure is not None:
        query = query.where(change.measure == measure)
    if before is not None:
        query = query.where(change.id < before)
    return [(row, slug) for row, slug in tx.execute(query.order_by(change.id.desc()).limit(limit))]


def counts(tx: Session, organisation: UUID, at: datetime) -> tuple[int, int]:
    """How many users an organisation has, not at rest or invited, and how many projects."""
    here = InvitationRow.organisation_id == organisation
    invited = select(func.count()).where(here, is_open(), InvitationRow.expires_at > at).scalar_subquery()
    active = (MemberRow.organisation_id == organisation) & MemberRow.disabled_at.is_(None)
    members = select(func.count()).where(active).scalar_subquery()
    projects = select(func.count()).where(ProjectRow.organisation_id == organisation).scalar_subquery()
    users, found = tx.execute(select(members + invited, projects)).one()
    return users, found
