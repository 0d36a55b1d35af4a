"""What quotas limit: measures that are built in, and those that the provider defines."""

from gradumen.core.errors import Conflict, NotFound
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import BUILT_IN, Measure, defined_measure
from gradumen.store.quotas import measures as store
from gradumen.store.quotas.measures import MeasureRow, load_measures
from gradumen.store.revisions import CATALOGUE, revise
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.quotas.measures import MeasureBody, MeasureCreate

MOST = 40
"""How many may be defined: a table of limits has a column for each."""


@use_case
def list_measures(tx: Session, caller: Caller) -> list[MeasureBody]:
    """All measures that are in use, in the order in which people read them; the same for everybody."""
    load_scope(tx, caller)
    return [_view(each) for each in load_measures(tx).listed]


@use_case
def define_measure(tx: Session, caller: Caller, *, given: MeasureCreate) -> MeasureBody:
    """Define a measure; one that was retired comes back as it was. Defining it again alike changes nothing.

    Raises:
        Forbidden: the caller does not manage the provider's quotas.
        Invalid: a slug, unit or kind that cannot be.
        Conflict: it is there as something else, or there are too many.
    """
    scope = load_scope(tx, caller)
    provider = scope.require_provider(Right.MANAGE_QUOTAS)
    measure = defined_measure(given.measure, given.unit, given.kind, given.counts)
    base = measure.base or str(measure.counts)
    row = _locked(tx, measure)
    if row is None:
        if len(load_measures(tx).listed) >= len(BUILT_IN) + MOST:
            raise Conflict(f"there are {MOST} defined measures, which is the most; retire one", field="measure")
        row = MeasureRow(slug=measure, unit=measure.unit, kind=measure.kind, base=base, defined_at=scope.now)
        tx.add(row)
    elif (row.unit, row.kind, row.base) != (measure.unit, measure.kind, base):
        raise Conflict(
            f"measure '{row.slug}' is defined in {row.unit}, {row.kind}, which never changes; choose another name",
            field="measure",
        )
    elif row.retired_at is None:
        return _view(measure)
    row.retired_at = None
    tx.flush()
    record(tx, caller, "measure defined", provider, row.slug, after={"unit": row.unit, "kind": row.kind})
    return _view(measure)


@use_case
def retire_measure(tx: Session, caller: Caller, *, measure: str) -> None:
    """Give no limits of a measure any more; its history stays. Asking again changes nothing.

    Raises:
        Forbidden: the caller does not manage the provider's quotas.
        NotFound: nobody defined it.
        Conflict: somebody has a limit or a pool of it, or a published meter or tier names it.
    """
    scope = load_scope(tx, caller)
    provider = scope.require_provider(Right.MANAGE_QUOTAS)
    row = _locked(tx, measure)
    if row is None:
        raise NotFound("measure", measure)
    if row.retired_at is not None:
        return
    published = load_published(tx)
    meter = next((each.slug for each in published.meters.values() if each.measure == measure), None)
    promised = ((each.slug, quota) for each in published.plans.values() for tier in each.tiers for quota in tier.quotas)
    plan = next((slug for slug, quota in promised if quota.measure == measure), None)
    if meter or plan:
        what = f"meter '{meter}' counts it" if meter else f"a tier of plan '{plan}' has a quota of it"
        raise Conflict(f"{what}; publish that without it first", field="measure")
    if store.is_limited(tx, measure):
        raise Conflict(f"there are limits or pools of {measure}; take them back first", field="measure")
    row.retired_at = scope.now
    tx.flush()
    record(tx, caller, "measure retired", provider, row.slug)


def _locked(tx: Session, measure: str) -> MeasureRow | None:
    """One that was defined; whoever defines, retires or publishes queues."""
    row = store.find_measure(tx, measure)
    revise(tx, CATALOGUE)
    return row


def _view(measure: Measure) -> MeasureBody:
    own = measure not in BUILT_IN
    return MeasureBody(
        measure=measure,
        unit=measure.unit,
        kind=measure.kind,
        metered=measure.metered,
        counts=measure.counts,
        defined=own,
    )
