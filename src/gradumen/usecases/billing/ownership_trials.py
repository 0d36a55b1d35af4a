"""Trials of rules of ownership: a task that looks at all that came in, and prices the months that they reach.

Months are priced from usage that is made by the rules in a transaction which is taken back: it is what setting them
would make, and nothing of it is ever seen by others.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from gradumen.core.errors import Conflict, NotFound
from gradumen.core.metering.dated_rules import first_difference
from gradumen.core.periods import months_since
from gradumen.core.permissions import Right
from gradumen.core.retentions import OWNERSHIP_TRIALS
from gradumen.core.tasks import Lease, State
from gradumen.store import tasks
from gradumen.store.access.members import emails_of
from gradumen.store.billing import ownership_trials as store
from gradumen.store.billing.tables import OwnershipTrialRow
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.ownership_rows import OwnershipRuleRow
from gradumen.store.metering.ownership_rules import lock_version, replace_rules, rules_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import wanted_by_buyer
from gradumen.store.tasks import TaskRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.billing.priced_months import Priced, Reached, kept_money, price_months, told_money
from gradumen.usecases.metering.changed_owners import make_all
from gradumen.usecases.metering.moved_usage import (
    ALL_OF_IT,
    FIRST_DAY,
    UNBOUNDED,
    Looked,
    Looking,
    newest_of,
    preview_body,
)
from gradumen.usecases.metering.owners import ruled
from gradumen.usecases.metering.ownership_rules import NOTHING
from gradumen.usecases.metering.written_ownership import read_rules
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, business_now, get_organisation, load_scope, scope_of_nobody
from gradumen.usecases.tasks import OWNERSHIP_TRIAL, require_lease
from gradumen.wire.billing.ownership_trials import (
    OwnershipTrialBody,
)
from gradumen.wire.metering.ownership_rules import OwnershipPreviewBody, OwnershipRuleForm

FORGOTTEN = 20
"""Trials that are forgotten in one transaction."""
MOST = 5
"""So many of a seller may be under way at once."""
MADE = 200_000
"""Days of resources, and rows of costs, that are made again to price what would move, at most."""
TOLD = 1_000
"""Links that are told, those that differ most; and of what would not be priced."""
DAY, WINDOW = timedelta(days=1), 8
"""Days that one transaction looks at; between them a trial says how far it is."""


@use_case
def ask_trial(
    tx: Session, caller: Caller, *, organisation: str, rules: Sequence[OwnershipRuleForm]
) -> OwnershipTrialBody:
    """Ask what rules would move in the place of those that are, and what months would come to; a job does it.

    Raises:
        Forbidden, Invalid: as for setting them.
        Conflict: many are under way.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    _require(scope, seller)
    read_rules(tx, scope, seller, rules)
    if store.count_under_way(tx, seller.id) >= MOST:
        raise Conflict(f"{MOST} trials of '{seller.slug}' are under way; ask again when one is done")
    task = tasks.add_task(
        tx, OWNERSHIP_TRIAL, seller.name, at=caller.at, organisation=seller.id, asked_by=caller.user_id,
        counted="days",
    )  # fmt: skip
    row = OwnershipTrialRow(
        id=task.id,
        seller_id=seller.id,
        rules=[each.model_dump(mode="json") for each in rules],
        asked_by=caller.user_id,
        asked_at=scope.now,
        outcome=None,
    )
    tx.add(row)
    tx.flush()
    return _bodies(tx, [(row, task)], seller.slug)[0]


@dataclass(frozen=True, slots=True)
class Plan:
    """How a trial looks, in which windows of days, from which day on the rules differ; and what was newest then."""

    looking: Looking
    windows: Sequence[tuple[date, date]]
    from_day: date | None
    newest: str


@dataclass(frozen=True, slots=True)
class Loaded:
    """A trial's seller, and its rules as they are stored; how they are looked at, from the day on they differ."""

    seller: OrganisationRow
    rows: Sequence[OwnershipRuleRow]
    looking: Looking
    from_day: date | None
    now: datetime


def _load(tx: Session, trial: UUID, at: datetime) -> Loaded:
    row = store.find_trial(tx, trial)
    if row is None:
        raise Conflict("this trial is no longer kept; ask again")
    scope, seller = scope_of_nobody(tx, at), tx.get_one(OrganisationRow, row.seller_id)
    before = ruled(rules_of(tx, [seller.id])[seller.id])
    rows, after = read_rules(tx, scope, seller, [OwnershipRuleForm.model_validate(each) for each in row.rules])
    differs = first_difference(before.values, after.values)
    from_day = None if differs is None else max(differs, FIRST_DAY)
    return Loaded(seller, rows, Looking(scope, seller, before, after, paying=True), from_day, scope.now)


@use_case
def plan_trial(tx: Session, *, lease: Lease, at: datetime) -> Plan:
    """What a trial has to do.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    loaded = _load(tx, lease.task, at)
    first, end = loaded.from_day, loaded.now.date() + DAY
    days = range(0, (end - first).days if first else 0, WINDOW)
    windows = [(first + DAY * each, min(first + DAY * (each + WINDOW), end)) for each in days if first]
    return Plan(loaded.looking, windows, first, newest_of(tx, loaded.seller))


@use_case
def look_at(tx: Session, *, looking: Looking, window: tuple[date, date], looked: Looked) -> Looked:
    """What would move of some days, after those ``looked`` at before."""
    return looking.look(tx, *window, UNBOUNDED, looked.ahead)


def price_after(uow: UnitOfWork, *, trial: UUID, at: datetime) -> tuple[Reached, Priced] | None:
    """What the months of those whom the rules reach would come to by them; None where too much would move."""

    def price(tx: Session) -> tuple[Reached, Priced] | None:
        loaded = _load(tx, trial, at)
        seller, first, last = loaded.seller, loaded.from_day, loaded.now.date()
        if first is None:
            return {}, Priced()
        # In the zone of the seller the first days of a month may be in another.
        months = [f"{each:%Y-%m}" for each in months_since(first - DAY, last + DAY)]
        before = {month: wanted_by_buyer(tx, seller.id, month) for month in months}
        lock_version(tx, seller.id)
        replace_rules(tx, seller.id, loaded.rows)
        feeds = [each.id for each in feeds_of(tx, seller.id)]
        if not make_all(uow, tx, feeds, first, last + 2 * DAY, at, MADE):
            return None
        reached = {}
        for month in months:
            wanted = wanted_by_buyer(tx, seller.id, month)
            reached[month] = {buyer for buyer, revision in wanted.items() if revision != before[month].get(buyer)}
        return reached, price_months(tx, seller.id, reached, at)

    return uow.tried(price)


@use_case
def price_before(tx: Session, *, trial: UUID, reached: Reached, at: datetime) -> Priced:
    """What the months of those whom rules would reach come to as it is."""
    return price_months(tx, _load(tx, trial, at).seller.id, reached, at)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a trial came to; ``sides`` are before and after, None where too much would move."""

    plan: Plan
    looked: Looked
    sides: tuple[Priced, Priced] | None


@use_case
def end_trial(tx: Session, *, lease: Lease, outcome: Outcome) -> None:
    """Keep what a trial came to.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    plan, looked = outcome.plan, outcome.looked
    seen = f"{plan.newest}:{looked.moved()}{ALL_OF_IT}"
    fixed = archived_before(tx)
    preview = (
        preview_body(tx, looked, plan.from_day, fixed_before=fixed, seen=seen) if plan.from_day is not None else NOTHING
    )
    told: dict[str, Any] = {"preview": preview.model_dump(mode="json"), "too_much": outcome.sides is None}
    if outcome.sides:
        told |= kept_money(tx, *outcome.sides)
    store.put_outcome(tx, lease.task, told)


def forget_trials(uow: UnitOfWork, *, at: datetime) -> None:
    """Forget those that are kept no longer, whoever asked."""
    while _forget(uow, at=at) == FORGOTTEN:
        pass


@use_case
def _forget(tx: Session, *, at: datetime) -> int:
    return store.forget_trials(tx, business_now(tx, at) - OWNERSHIP_TRIALS, FORGOTTEN)


@use_case
def list_trials(
    tx: Session, caller: Caller, *, organisation: str, after: str | None, limit: int
) -> list[OwnershipTrialBody]:
    """What was tried of a seller's rules, newest first, without what came of it; ``after`` is ``time|id``."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    _require(scope, seller)
    return _bodies(tx, store.page_of_trials(tx, seller.id, after=moment_place(after), limit=limit), seller.slug)


@use_case
def read_trial(tx: Session, caller: Caller, *, trial_id: UUID) -> OwnershipTrialBody:
    """One trial, with what came of it when it is done.

    Raises:
        NotFound: not there, or of a seller that the caller is no member of.
        Forbidden: the caller does not manage its feeds.
    """
    scope = load_scope(tx, caller)
    row = store.find_trial(tx, trial_id)
    if row is None or row.seller_id not in scope.members_of():
        raise NotFound("ownership trial", trial_id)
    seller = tx.get_one(OrganisationRow, row.seller_id)
    _require(scope, seller)
    [body] = _bodies(tx, [(row, tx.get_one(TaskRow, row.id))], seller.slug)
    if body.state != State.DONE or row.outcome is None:
        return body
    preview = OwnershipPreviewBody.model_validate(row.outcome["preview"])
    money = {} if row.outcome["too_much"] else told_money(tx, row.outcome, seller.id)
    return body.model_copy(update={"preview": preview, "too_much": row.outcome["too_much"], **money})


def _require(scope: Scope, seller: OrganisationRow) -> None:
    """Who tries rules sets them, and sees what they come to."""
    for right in (Right.MANAGE_FEEDS, Right.READ_MONEY):
        scope.require_member(right, seller)


def _bodies(tx: Session, found: Sequence[tuple[OwnershipTrialRow, TaskRow]], seller: str) -> list[OwnershipTrialBody]:
    users = emails_of(tx, {row.asked_by for row, _ in found})
    return [
        OwnershipTrialBody(
            id=row.id,
            organisation=seller,
            state=task.state,
            problem=task.problem,
            made=task.made,
            total=task.total,
            asked_by=users[row.asked_by],
            asked_at=row.asked_at,
            finished_at=task.finished_at,
            preview=None,
            months=[],
            links=[],
            more_links=0,
            not_priced=[],
            too_much=False,
        )
        for row, task in found
    ]
