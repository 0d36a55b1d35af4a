"""Bill runs: the close of a period for one seller, as drafts. What is billed already is never billed again."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from gradumen.core.errors import Conflict, FeedsIncomplete, NotFound, PeriodOpen
from gradumen.core.names import name_of
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store import tasks
from gradumen.store.billing.bill_runs import documents_by_state, runs_of
from gradumen.store.billing.drafts import drafted_buyers
from gradumen.store.billing.invoices import lock_documents
from gradumen.store.billing.tables import BillRunRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, local_day, zone_name
from gradumen.store.pairs import buyers_to_bill, ensure_pairs, stale_pairs
from gradumen.store.subscriptions.sales import sold_links
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.billing.drafts import Drafting
from gradumen.usecases.metering.completeness import in_words, lacking
from gradumen.usecases.rating.current_charges import pieces
from gradumen.usecases.scope import Caller, Scope, business_now, get_organisation, load_scope
from gradumen.usecases.tasks import BILL_RUN, require_lease
from gradumen.wire.billing.bill_runs import BillRunBody


@use_case
def start_bill_run(
    tx: Session, caller: Caller, *, organisation: str, period: str, reason: str | None = None
) -> BillRunBody:
    """Ask for the drafts of a seller's period; a job makes them. A run that is under way is returned instead.

    Args:
        reason: why it is closed though something of it may still come by feeds; kept only where that is so.

    Raises:
        PeriodOpen: the period is not over in the seller's billing zone.
        FeedsIncomplete: something may still come, and no reason is given.
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
    under_way = tasks.find_under_way(tx, BILL_RUN, seller.id, period)
    if under_way is not None:
        return _views(tx, [tx.get_one(BillRunRow, under_way)], seller.slug)[0]
    missing = lacking(tx, seller, scope.tree, end)
    why = said_of(reason) if missing else None
    if missing and why is None:
        raise FeedsIncomplete(
            f"not all of {period} is here: {in_words(missing)}. What comes later goes on the next document; wait, or "
            "give a reason to close it now",
            field="reason",
            feeds=[{"feed": each.feed, "until": each.until.isoformat(), "why": each.why} for each in missing],
        )
    tasks.give_up(tx, BILL_RUN, seller.id, period)
    task = tasks.add_task(tx, BILL_RUN, period, at=caller.at, organisation=seller.id, asked_by=caller.user_id)
    row = BillRunRow(
        id=task.id,
        seller_id=seller.id,
        period=period,
        started_by=caller.user_id,
        started_at=scope.now,
        finished_at=None,
        reason=why,
    )
    tx.add(row)
    tx.flush()
    told = {"reason": why, "lacking": in_words(missing)} if why else None
    record(tx, caller, "bill run started", seller.id, period, after=told)
    return _views(tx, [row], seller.slug)[0]


def said_of(reason: str | None) -> str | None:
    """A reason as it is kept; an empty one is none.

    Raises:
        Invalid: it is too long, or has characters that cannot be shown.
    """
    said = " ".join((reason or "").split())
    return name_of(said, field="reason", most=500) if said else None


def require_billing(scope: Scope, seller: OrganisationRow) -> None:
    """Billing is done by members of the seller itself: nobody above sees its retail."""
    scope.require(Right.BILL, seller)


@use_case
def pairs_before_drafts(tx: Session, *, lease: Lease, at: datetime) -> list[list[int]]:
    """The pairs of a run's seller to rate first, as many at once: up to its period, and the next for fees in advance.

    Raises:
        Conflict: another worker has the run now.
    """
    require_lease(tx, lease)
    run = tx.get_one(BillRunRow, lease.task)
    coming = Period.parse(run.period).next().text
    ensure_pairs(tx, [(seller, buyer) for seller, buyer, _ in sold_links(tx, run.seller_id)], [coming])
    stale = stale_pairs(tx, run.seller_id, coming)
    return [piece for same in stale.values() for piece in pieces(tx, same, at)]


@use_case
def list_buyers(tx: Session, *, lease: Lease) -> list[UUID]:
    """The buyers to make drafts for, in the order of their names; none of a run that is made already.

    Raises:
        Conflict: another worker has the run now.
    """
    require_lease(tx, lease)
    run = tx.get_one(BillRunRow, lease.task)
    if run.finished_at is not None:
        return []
    last = Period.parse(run.period)
    ids = buyers_to_bill(tx, run.seller_id, last.text, last.next().text) | drafted_buyers(tx, run.seller_id)
    return [row.id for row in sorted(organisations_by_id(tx, ids).values(), key=lambda row: row.slug)]


@use_case
def make_drafts(tx: Session, *, lease: Lease, buyers: Sequence[UUID], at: datetime) -> None:
    """Make the drafts of some buyers, of all that is not billed yet; earlier ones that say something else are replaced.

    Raises:
        NotPriceable: there is no tax rate for one of them.
        Conflict: another worker has the run now.
    """
    require_lease(tx, lease)
    run = tx.get_one(BillRunRow, lease.task)
    lock_documents(tx, run.seller_id)
    seller = tx.get_one(OrganisationRow, run.seller_id)
    known = organisations_by_id(tx, set(buyers))
    Drafting(tx, run, seller, local_day(tx, seller.id, business_now(tx, at))).make([known[each] for each in buyers])


@use_case
def finish_run(tx: Session, *, lease: Lease, at: datetime) -> int:
    """A run is made; gives how many drafts it has.

    Raises:
        Conflict: another worker has the run now.
    """
    require_lease(tx, lease)
    run = tx.get_one(BillRunRow, lease.task, populate_existing=True)
    run.finished_at = run.finished_at or business_now(tx, at)
    return documents_by_state(tx, [run.id])[run.id, "draft"]


@use_case
def list_bill_runs(tx: Session, caller: Caller, *, organisation: str, limit: int) -> list[BillRunBody]:
    """A seller's bill runs, newest first; for its own members."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    return _views(tx, runs_of(tx, seller.id, limit), seller.slug)


@use_case
def read_bill_run(tx: Session, caller: Caller, *, run_id: UUID) -> BillRunBody:
    """One bill run of a seller that the caller is a member of."""
    scope = load_scope(tx, caller)
    row = tx.get(BillRunRow, run_id)
    if row is None or row.seller_id not in scope.members_money():
        raise NotFound("bill run", run_id)
    return _views(tx, [row], tx.get_one(OrganisationRow, row.seller_id).slug)[0]


def _views(tx: Session, rows: list[BillRunRow], seller: str) -> list[BillRunBody]:
    ids = [row.id for row in rows]
    states, documents = tasks.states_of(tx, ids), documents_by_state(tx, ids)
    return [
        BillRunBody(
            id=row.id,
            seller=seller,
            period=row.period,
            state=states[row.id][0],
            problem=states[row.id][1],
            started_at=row.started_at,
            finished_at=row.finished_at,
            reason=row.reason,
            drafts=documents[row.id, "draft"],
            issued=documents[row.id, "issued"],
        )
        for row in rows
    ]
