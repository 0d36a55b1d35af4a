"""Bill runs: the close of a period for one seller, as drafts. What is billed already is never billed again."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from gradumen.core.errors import Conflict, NotFound, PeriodOpen
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.billing.tables import BillRunRow, InvoiceRow
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.billing.drafts import Drafting, discard_drafts, lock_documents
from gradumen.usecases.scope import Caller, Scope, business_now, get_organisation, load_scope

LEASE = timedelta(minutes=2)
WAITING, RUNNING, FINISHED, FAILED = "waiting", "running", "finished", "failed"


@dataclass(frozen=True, slots=True)
class BillRun:
    """A bill run: ``waiting``, ``running``, ``finished`` or ``failed`` with a problem; counts its documents."""

    id: UUID
    seller: str
    period: str
    state: str
    problem: str | None
    started_at: datetime
    finished_at: datetime | None
    drafts: int
    issued: int


@use_case
def start_bill_run(tx: Session, caller: Caller, *, organisation: str, period: str) -> BillRun:
    """Ask for the drafts of a seller's period; a job makes them. A run that is under way is returned instead.

    Raises:
        PeriodOpen: the period is not over in the seller's billing zone.
        Conflict: a tenant sells nothing.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    require_billing(scope, seller)
    if seller.type == "tenant":
        raise Conflict(f"'{seller.slug}' is a tenant and has nobody to bill")
    month = Period.parse(period)
    _, end = month.bounds(zone_of(zone_name(tx, seller.id, month.first_day)))
    if scope.now < end:
        raise PeriodOpen(
            f"{period} is open until {end.isoformat()}; close {month.before().text} or wait", period=period
        )
    lock_documents(tx, seller.id)
    under_way = tx.scalars(
        select(BillRunRow).where(
            BillRunRow.seller_id == seller.id, BillRunRow.period == period, BillRunRow.state.in_((WAITING, RUNNING))
        )
    ).first()
    row = under_way or BillRunRow(
        id=uuid4(),
        seller_id=seller.id,
        period=period,
        state=WAITING,
        problem=None,
        started_by=caller.user_id,
        started_at=scope.now,
        finished_at=None,
        lease_until=None,
        fence=0,
    )
    tx.add(row)
    tx.flush()
    if under_way is None:
        record(tx, caller, "bill run started", seller.id, period)
    return _view(tx, row, seller.slug)


def require_billing(scope: Scope, seller: OrganisationRow) -> None:
    """Billing is done by members of the seller itself: nobody above sees its retail."""
    scope.require(Right.BILL, seller)


@use_case
def take_bill_run(tx: Session, *, at: datetime) -> tuple[UUID, int] | None:
    """Lease a run that waits or whose worker is gone; gives its id and fence, or None."""
    row = tx.scalars(
        select(BillRunRow)
        .where(
            BillRunRow.state.in_((WAITING, RUNNING)), or_(BillRunRow.lease_until.is_(None), BillRunRow.lease_until < at)
        )
        .order_by(BillRunRow.started_at)
        .limit(1)
        .with_for_update(skip_locked=True)
    ).first()
    if row is None:
        return None
    row.state, row.lease_until, row.fence = RUNNING, at + LEASE, row.fence + 1
    return row.id, row.fence


@use_case
def release_bill_runs(tx: Session) -> None:
    """At the start of the only service: no lease can be held by anybody else."""
    tx.execute(update(BillRunRow).where(BillRunRow.state == RUNNING).values(lease_until=None))


@use_case
def fail_bill_run(tx: Session, *, run_id: UUID, fence: int, problem: str) -> None:
    """Note why a run could not be made; starting it again tries again."""
    tx.execute(
        update(BillRunRow)
        .where(BillRunRow.id == run_id, BillRunRow.fence == fence, BillRunRow.state == RUNNING)
        .values(state=FAILED, problem=problem[:1000])
    )


@use_case
def make_drafts(tx: Session, *, run_id: UUID, fence: int, at: datetime) -> None:
    """Make the drafts of a run in one transaction: all or none. Earlier drafts of the seller are replaced.

    Raises:
        Conflict: another worker has the run now.
    """
    run = tx.get_one(BillRunRow, run_id)
    lock_documents(tx, run.seller_id)
    held = tx.execute(
        update(BillRunRow)
        .where(BillRunRow.id == run_id, BillRunRow.fence == fence, BillRunRow.state == RUNNING)
        .values(state=FINISHED, finished_at=business_now(tx, at), lease_until=None)
    )
    if held.rowcount != 1:  # type: ignore[attr-defined]  # an UPDATE gives a cursor result
        raise Conflict(f"another worker has bill run {run_id}")
    seller = tx.get_one(OrganisationRow, run.seller_id)
    discard_drafts(tx, seller.id)
    Drafting(tx, run, seller, business_now(tx, at).date()).make()


@use_case
def list_bill_runs(tx: Session, caller: Caller, *, organisation: str, limit: int) -> list[BillRun]:
    """A seller's bill runs, newest first; for its own members."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    rows = tx.scalars(
        select(BillRunRow)
        .where(BillRunRow.seller_id == seller.id)
        .order_by(BillRunRow.started_at.desc(), BillRunRow.id)
        .limit(limit)
    )
    return [_view(tx, row, seller.slug) for row in rows]


@use_case
def read_bill_run(tx: Session, caller: Caller, *, run_id: UUID) -> BillRun:
    """One bill run of a seller that the caller is a member of."""
    scope = load_scope(tx, caller)
    row = tx.get(BillRunRow, run_id)
    if row is None or row.seller_id not in scope.members_money():
        raise NotFound("bill run", run_id)
    return _view(tx, row, tx.get_one(OrganisationRow, row.seller_id).slug)


def _view(tx: Session, row: BillRunRow, seller: str) -> BillRun:
    rows = tx.execute(
        select(InvoiceRow.state, func.count()).where(InvoiceRow.bill_run_id == row.id).group_by(InvoiceRow.state)
    )
    counts: dict[str, int] = {state: count for state, count in rows}  # noqa: C416  # rows are not typed as pairs
    return BillRun(
        id=row.id,
        seller=seller,
        period=row.period,
        state=row.state,
        problem=row.problem,
        started_at=row.started_at,
        finished_at=row.finished_at,
        drafts=counts.get("draft", 0),
        issued=counts.get("issued", 0),
    )
