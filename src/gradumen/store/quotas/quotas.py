"""Queries of quotas."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import BindParameter, Select, Uuid, bindparam, delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.exact import add
from gradumen.store.access.members import is_open
from gradumen.store.access.tables import InvitationRow, MemberRow
from gradumen.store.columns import Moment
from gradumen.store.organisations.tables import ProjectRow, has_anybody_moved
from gradumen.store.quotas.promised import raise_promised
from gradumen.store.quotas.site_quotas import name_site_givers, release_site_quotas
from gradumen.store.quotas.tables import QuotaChangeRow, QuotaRow

# Each decision about a quota asks these for all above: they are made once.
_TOUCH = (
    update(QuotaRow)
    .where(QuotaRow.holder_id == bindparam("holder"), QuotaRow.measure == bindparam("what"))
    .values(version=QuotaRow.version + 1)
)
_HELD = select(QuotaRow.holder_id, QuotaRow.measure, QuotaRow.is_set, QuotaRow.limit_value, QuotaRow.version).where(
    QuotaRow.holder_id.in_(bindparam("holders", expanding=True))
)
_GIVEN, _TO_BE_GIVEN = (
    select(column, QuotaRow.measure, func.sum(QuotaRow.limit_value), func.count() - func.count(QuotaRow.limit_value))
    .where(column.in_(bindparam("givers", expanding=True)), QuotaRow.is_set)
    .group_by(column, QuotaRow.measure)
    for column in (QuotaRow.giver_id, QuotaRow.next_giver_id)
)


def lock_quota(tx: Session, values: dict[str, Any]) -> None:
    """Write the row of a holder and measure, which rivals write too; ``values`` make it where it is new."""
    own = {"holder": values["holder_id"], "what": values["measure"]}
    # Only what is not there is inserted: a row that an INSERT finds is shared, and rivals that share one and then
    # write it can only go back and begin again.
    if not tx.execute(_TOUCH, own).rowcount:  # type: ignore[attr-defined]  # an UPDATE gives a cursor result, of the rows it found
        tx.execute(insert(QuotaRow).values(values).prefix_with("IGNORE"))
        tx.execute(_TOUCH, own)


def quotas_of(tx: Session, organisation: UUID) -> list[QuotaRow]:
    """The quotas of an organisation and its projects, as they stand in this transaction."""
    query = select(QuotaRow).where(QuotaRow.organisation_id == organisation)
    return list(tx.scalars(query, execution_options={"populate_existing": True}))


@dataclass(frozen=True, slots=True)
class HeldQuota:
    """What an organisation itself may have of a measure; ``is_set`` says whether it was given at all."""

    holder_id: UUID
    measure: str
    is_set: bool
    limit_value: Decimal | None
    version: int


def quotas_held(tx: Session, organisations: Collection[UUID]) -> list[HeldQuota]:
    """The quotas of organisations themselves, as they stand in this transaction."""
    return [HeldQuota(*each) for each in tx.execute(_HELD, {"holders": [*organisations]})]


def given_on(tx: Session, givers: Collection[UUID]) -> dict[tuple[UUID, str], tuple[Decimal, int]]:
    """What givers have passed on of each measure in all, and to how many without limit.

    What is held for those who are to move to them is among it.
    """
    found: dict[tuple[UUID, str], tuple[Decimal, int]] = {}
    for query in (_GIVEN, _TO_BE_GIVEN) if has_anybody_moved(tx) else (_GIVEN,):
        for giver, measure, total, unlimited in tx.execute(query, {"givers": [*givers]}):
            if giver is not None:
                sums, count = found.get((giver, measure), (Decimal(0), 0))
                found[giver, measure] = (add([sums, Decimal(total or 0)]), count + int(unlimited))
    return found


def name_givers(tx: Session, holder: UUID, *, giver: UUID | None = None, coming: UUID | None = None) -> None:
    """Who gives what an organisation holds, where it changes, and who will."""
    values: dict[str, Any] = {"next_giver_id": coming}
    if giver is not None:
        values["giver_id"] = giver
    tx.execute(
        update(QuotaRow).where(QuotaRow.holder_id == holder).values(**values),
        execution_options={"synchronize_session": False},
    )
    name_site_givers(tx, holder, giver=giver, coming=coming)


def release_quotas(tx: Session, organisation: UUID, at: datetime) -> None:
    """Give back all that an organisation and its projects hold."""
    release_site_quotas(tx, organisation, at)
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
    raise_promised(tx, row.organisation_id, at)


def changes_of(
    tx: Session, organisation: UUID, measure: str | None, *, before: int | None, since: datetime | None, limit: int
) -> list[tuple[QuotaChangeRow, str | None]]:
    """What an organisation and its projects might have when, since a moment, with the projects' slugs.

    The latest first.
    """
    change = QuotaChangeRow
    query = select(change, ProjectRow.slug).outerjoin(ProjectRow, ProjectRow.id == change.project_id)
    query = query.where(change.organisation_id == organisation)
    if measure is not None:
        query = query.where(change.measure == measure)
    if before is not None:
        query = query.where(change.id < before)
    if since is not None:
        query = query.where(change.changed_at >= since)
    return [(row, slug) for row, slug in tx.execute(query.order_by(change.id.desc()).limit(limit))]


def limits_over(tx: Session, organisation: UUID, measure: str) -> list[tuple[datetime, Decimal | None]]:
    """From when on an organisation itself might have how much in all, the latest first; None is no limit."""
    change = QuotaChangeRow
    query = select(change.changed_at, change.limit_value).where(
        change.organisation_id == organisation,
        change.project_id.is_(None),
        change.site_id.is_(None),
        change.measure == measure,
    )
    return [(moment, limit) for moment, limit in tx.execute(query.order_by(change.id.desc()))]


def _counts() -> Select[Any]:
    own: BindParameter[UUID] = bindparam("organisation", type_=Uuid())
    at: BindParameter[datetime] = bindparam("at", type_=Moment())
    here = InvitationRow.organisation_id == own
    invited = select(func.count()).where(here, is_open(), InvitationRow.expires_at > at).scalar_subquery()
    active = (MemberRow.organisation_id == own) & MemberRow.disabled_at.is_(None)
    members = select(func.count()).where(active).scalar_subquery()
    projects = select(func.count()).where(ProjectRow.organisation_id == own).scalar_subquery()
    return select(members + invited, projects)


_COUNTS = _counts()


def counts(tx: Session, organisation: UUID, at: datetime) -> tuple[int, int]:
    """How many users an organisation has, not at rest or invited, and how many projects."""
    users, found = tx.execute(_COUNTS, {"organisation": organisation, "at": at}).one()
    return users, found
