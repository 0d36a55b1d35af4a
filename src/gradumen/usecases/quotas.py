"""Quotas: granted down the tree, with the caller's figures in every refusal."""

from dataclasses import dataclass, replace
from decimal import Decimal
from uuid import UUID

from sqlalchemy import func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from gradumen.core.catalogue import name_of
from gradumen.core.errors import EditedMeanwhile, Forbidden, Invalid
from gradumen.core.exact import add
from gradumen.core.permissions import Right
from gradumen.core.quotas import MEASURE_UNITS, Holding, Measure, check_grant
from gradumen.store.organisations import OrganisationRow, ProjectRow
from gradumen.store.quotas import QuotaRow
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.scope import Caller, Scope, get_organisation, get_project, load_scope


@dataclass(frozen=True, slots=True)
class Quota:
    """What a holder has of a measure; ``granted`` is given on, ``left`` is None without limit."""

    organisation: str
    project: str | None
    measure: str
    unit: str
    limit: Decimal | None
    reservation: Decimal
    granted: Decimal
    left: Decimal | None
    label: str | None
    version: int


def measure_of(raw: str) -> Measure:
    """Read a measure.

    Raises:
        Invalid: not one.
    """
    try:
        return Measure(raw)
    except ValueError:
        raise Invalid(f"measure '{raw[:40]}' is not one of {', '.join(Measure)}", field="measure", value=raw) from None


@use_case
def list_quotas(tx: Session, caller: Caller, *, organisation: str) -> list[Quota]:
    """The quotas of an organisation, then of its projects."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    rows = list(tx.scalars(select(QuotaRow).where(QuotaRow.organisation_id == owner.id)))
    projects = {
        row.id: row.slug for row in tx.scalars(select(ProjectRow).where(ProjectRow.organisation_id == owner.id))
    }
    found = {(row.project_id, row.measure): row for row in rows}
    views: list[Quota] = []
    for measure in Measure:
        row = found.get((None, measure)) or _absent(scope, owner, owner.id, None, measure)
        views.append(_view(tx, owner.slug, None, row))
        for project_id, slug in sorted(projects.items(), key=lambda each: each[1]):
            held = found.get((project_id, measure))
            if held is not None:
                views.append(_view(tx, owner.slug, slug, held))
    return views


@use_case
def grant_quota(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    project: str | None,
    measure: Measure,
    limit: Decimal | None,
    reservation: Decimal | None,
    factor: Decimal | None,
    label: str | None,
    version: int | None,
) -> Quota:
    """Set the limit of an organisation (given by its parent) or of a project (given by its organisation).

    The provider sets its own limit: what its clouds have. Setting what is there already changes nothing.

    Args:
        limit: in the measure's unit; None is no limit.
        version: of the quota that was looked at; None skips that check.

    Raises:
        QuotaExceeded: more than the giver has left, or no limit where the giver has one.
        QuotaBelowGranted: less than the holder has given on or reserved.
        EditedMeanwhile: the quota is at another version.
    """
    scope = load_scope(tx, caller)
    holder = get_organisation(tx, scope, organisation)
    target = get_project(tx, holder, project) if project is not None else None
    giver_id = holder.id if target else scope.tree.parents.get(holder.id)
    if not scope.may(Right.MANAGE_QUOTAS, giver_id or holder.id):
        raise Forbidden(right=Right.MANAGE_QUOTAS, organisation=holder.slug if target else f"{holder.slug}'s seller")
    giver = tx.get_one(OrganisationRow, giver_id) if giver_id else None
    _check_figures(limit, reservation, factor)
    holder_id = target.id if target else holder.id
    if giver is not None:
        lock_quota(tx, scope, giver, giver.id, None, measure)
    lock_quota(tx, scope, holder, holder_id, target, measure)
    row = tx.get_one(QuotaRow, (holder_id, measure), populate_existing=True)
    if version is not None and version != row.version - 1:
        raise EditedMeanwhile(
            f"this quota is at version {row.version - 1}, you changed {version}; look again and repeat",
            version=row.version - 1,
        )
    wanted_reservation = row.reservation if reservation is None else reservation
    name = f"{holder.slug}/{target.slug}" if target else holder.slug
    taker = replace(_holding(tx, name, row), reservation=wanted_reservation, factor=factor or row.factor)
    if giver is None:
        check_grant(Holding(name, measure, None), taker, limit)
    else:
        held = tx.get_one(QuotaRow, (giver.id, measure), populate_existing=True)
        check_grant(_holding(tx, giver.slug, held), taker, limit)
    row.limit_value, row.reservation, row.factor = limit, wanted_reservation, factor or row.factor
    row.giver_id = giver.id if giver else None
    if label is not None:
        row.label = name_of(label, field="label") if label else None
    tx.flush()
    return _view(tx, holder.slug, target.slug if target else None, row)


def _check_figures(limit: Decimal | None, reservation: Decimal | None, factor: Decimal | None) -> None:
    for field, value in (("limit", limit), ("reservation", reservation)):
        if value is not None and value < 0:
            raise Invalid(f"{field} {value} is negative; give 0 or more", field=field, value=value)
    if factor is not None and not 1 <= factor <= 100:
        raise Invalid(f"the overbooking factor lies between 1 and 100; got {factor}", field="factor", value=factor)


def lock_quota(
    tx: Session, scope: Scope, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> None:
    """Write the row that rivals also write, making it where it is new. From the top of the tree down."""
    absent = _absent(scope, owner, holder_id, project, measure)
    values = {
        "holder_id": holder_id,
        "measure": measure,
        "organisation_id": owner.id,
        "project_id": project.id if project else None,
        "giver_id": absent.giver_id,
        "limit_value": absent.limit_value,
        "reservation": Decimal(0),
        "factor": Decimal(1),
        "label": None,
        "version": 0,
    }
    tx.execute(insert(QuotaRow).values(values).prefix_with("IGNORE"))
    tx.execute(
        update(QuotaRow)
        .where(QuotaRow.holder_id == holder_id, QuotaRow.measure == measure)
        .values(version=QuotaRow.version + 1)
    )


def _absent(
    scope: Scope, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> QuotaRow:
    """What somebody holds who was never given anything: nothing; only the provider begins without limit."""
    parent = scope.tree.parents.get(owner.id)
    unlimited = parent is None and project is None
    return QuotaRow(
        holder_id=holder_id,
        measure=measure,
        organisation_id=owner.id,
        project_id=project.id if project else None,
        giver_id=owner.id if project else parent,
        limit_value=None if unlimited else Decimal(0),
        reservation=Decimal(0),
        factor=Decimal(1),
        label=None,
        version=0,
    )


def _holding(tx: Session, name: str, row: QuotaRow) -> Holding:
    """What a row's holder has and has given on, as it stands in this transaction."""
    granted, unlimited = Decimal(0), 0
    if row.project_id is None:
        total, unlimited = tx.execute(
            select(func.sum(QuotaRow.limit_value), func.count() - func.count(QuotaRow.limit_value)).where(
                QuotaRow.giver_id == row.holder_id, QuotaRow.measure == row.measure
            )
        ).one()
        granted = Decimal(total or 0)
    return Holding(name, Measure(row.measure), row.limit_value, row.reservation, granted, row.factor, unlimited)


def _view(tx: Session, organisation: str, project: str | None, row: QuotaRow) -> Quota:
    held = _holding(tx, "", row)
    left = None if held.ceiling is None else add([held.ceiling, -held.committed])
    return Quota(
        organisation=organisation,
        project=project,
        measure=row.measure,
        unit=MEASURE_UNITS[held.measure],
        limit=row.limit_value,
        reservation=row.reservation,
        granted=held.granted,
        left=left,
        label=row.label,
        version=row.version,
    )
