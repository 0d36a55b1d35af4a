"""The limits of all that an organisation sells to, beside each other: looked at, and set together or not at all."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import partial

from gradumen.core.errors import Conflict
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Measure
from gradumen.store.organisations.organisations import Listed, organisations_by_slug, page_of_organisations
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.limits import Limits
from gradumen.usecases.quotas.quotas import grant_limit, holdings
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.together import all_or_nothing
from gradumen.wire.quotas.quota_matrices import (
    MatrixCellBody,
    MatrixChange,
    MatrixMeasureBody,
    MatrixRowBody,
    QuotaMatrixBody,
    QuotaMatrixChangedBody,
    QuotaMatrixUpdate,
)

ENDLESS = Decimal("Infinity")
"""Stands for no limit where changes are put in order."""


@use_case
def read_quota_matrix(
    tx: Session, caller: Caller, *, organisation: str, search: str, after: str | None, limit: int
) -> QuotaMatrixBody:
    """Some of an organisation's customers by slug, after a slug, with their limits; ``search`` is in slug or name."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    children = scope.tree.sold_to(owner.id)
    rows = page_of_organisations(
        tx,
        children,
        after=after,
        limit=limit + 1,
        search=search,
        type=None,
        of_all=len(children),
        parent=owner.id,
    )
    limits = Limits(tx, scope.tree, [owner.id, *(row.id for row in rows)])
    own = holdings(tx, scope, owner, limits)
    # Who was given nothing has no limit where the owner has none, else nothing.
    without = {measure: None if each.limit is None else Decimal(0) for measure, each in own.items()}
    return QuotaMatrixBody(
        organisation=owner.slug,
        measures=[
            MatrixMeasureBody(
                measure=measure,
                unit=measure.unit,
                kind=measure.kind,
                limit=each.limit,
                left=each.left,
            )
            for measure, each in own.items()
        ],
        items=[_row(limits, row, without) for row in rows[:limit]],
        next=rows[limit - 1].slug if len(rows) > limit else None,
    )


def _row(limits: Limits, row: Listed, without: Mapping[Measure, Decimal | None]) -> MatrixRowBody:
    cells = []
    for measure in without:
        held = limits.rows.get((row.id, measure))
        given = held is not None and held.is_set
        cells.append(
            MatrixCellBody(
                measure=measure,
                limit=held.limit_value if held and given else without[measure],
                given=given,
                passed_on=limits.passed_on(row.id, measure),
                version=held.version if held else 0,
            )
        )
    return MatrixRowBody(organisation=row.slug, name=row.name, type=row.type, cells=cells)


@dataclass(frozen=True, slots=True)
class _Asked:
    """A change with its place in the call, and how much more it is than what is there."""

    place: int
    change: MatrixChange
    measure: Measure
    more: Decimal


@use_case
def change_quota_matrix(
    tx: Session, caller: Caller, *, organisation: str, update: QuotaMatrixUpdate
) -> QuotaMatrixChangedBody:
    """Set limits of an organisation's customers together, what becomes less first; or only see whether they fit.

    Raises:
        NotFound: the organisation is not in scope.
        Forbidden: the caller does not give its quotas.
        Invalid: a measure is none.
        Conflict: some do not fit: ``problems`` names each by its place, with the refusal that it would have alone.
            Nothing is changed. One alone is refused as it is.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_QUOTAS, owner)
    ordered, count = _in_order(tx, scope, update.changes), len(update.changes)
    all_or_nothing(
        tx,
        ((asked.place, partial(_set, tx, scope, owner, asked)) for asked in ordered),
        check=update.check,
        said=lambda few: f"{few} of {count} limits cannot be set, so nothing was changed",
    )
    return QuotaMatrixChangedBody(changed=sum(asked.more != 0 for asked in ordered))


def _in_order(tx: Session, scope: Scope, changes: Sequence[MatrixChange]) -> list[_Asked]:
    """Measure by measure, in one order for all rivals; in each what becomes less before what becomes more."""
    rows = organisations_by_slug(tx, {each.organisation for each in changes})
    limits = Limits(tx, scope.tree, [row.id for row in rows.values() if row.id in scope.seen])
    found = []
    for place, change in enumerate(changes):
        measure, row = limits.measures.read(change.measure), rows.get(change.organisation)
        present = limits.limit(row.id, measure) if row is not None and row.id in scope.seen else Decimal(0)
        now, then = (ENDLESS if each is None else each for each in (present, change.limit))
        found.append(_Asked(place, change, measure, Decimal(0) if now == then else then - now))
    order = limits.measures.listed
    return sorted(found, key=lambda each: (order.index(each.measure), each.more, each.change.organisation))


def _set(tx: Session, scope: Scope, owner: OrganisationRow, asked: _Asked) -> None:
    holder = get_organisation(tx, scope, asked.change.organisation)
    if scope.tree.parents.get(holder.id) != owner.id:
        raise Conflict(f"{holder.name} does not buy from {owner.name}; its limits are its seller's to give")
    grant_limit(
        tx,
        scope,
        organisation=holder.slug,
        project=None,
        measure=asked.measure,
        limit=asked.change.limit,
        version=asked.change.version,
    )
