"""Onboardings: drafts that several people write, what comes on board at once, and what somebody approves first.

What is asked for is tried, so that whatever refuses it is said at once; where it has to wait, that is taken back, and
done when it is approved. Waiting holds nothing.
"""

from functools import partial
from uuid import UUID

from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.onboardings import Answer, OnboardingState
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions import onboardings as store
from gradumen.store.subscriptions.tables import OnboardingRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.subscriptions.onboarding_steps import come_on_board
from gradumen.usecases.subscriptions.onboarding_trials import (
    APPROVES,
    WRITES,
    ask,
    begin,
    count_change,
    get_seen,
    kept,
    new_onboarding,
    told_of,
    whole,
    written,
)
from gradumen.usecases.subscriptions.onboarding_views import tell_onboarding, view, views
from gradumen.usecases.together import all_or_nothing
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingAnswer,
    OnboardingBody,
    OnboardingCreate,
    OnboardingsBody,
    OnboardingsCreate,
    OnboardingSketch,
)

LONGEST = 1000


def onboard_customers(
    uow: UnitOfWork, caller: Caller, *, organisation: str, wanted: OnboardingsCreate
) -> OnboardingsBody:
    """Bring customers of a seller on board together, in one transaction, or only see whether they can be.

    Those that need approval wait for it.

    Raises:
        NotFound: the seller is not in scope.
        Forbidden: the caller may neither bring customers on board nor ask for it.
        Conflict: some cannot: ``problems`` names each by its place, with the refusal of its first step that was
            refused. Nothing is done. One alone is refused as that step is.
    """

    def work(tx: Session) -> OnboardingsBody:
        seller = get_organisation(tx, load_scope(tx, caller), organisation)
        count = len(wanted.customers)
        done = all_or_nothing(
            tx,
            enumerate(partial(_made, uow, tx, caller, seller, each, check=wanted.check) for each in wanted.customers),
            check=wanted.check,
            said=lambda few: f"{few} of {count} customers cannot come on board, so none did",
        )
        return OnboardingsBody(checked_only=wanted.check, items=done)

    return uow.run(work)


def _made(
    uow: UnitOfWork, tx: Session, caller: Caller, seller: OrganisationRow, customer: OnboardingCreate, *, check: bool
) -> OnboardedBody:
    """One customer of a call, with its row; where only looked at, what else the seller has left is told too."""
    scope = load_scope(tx, caller)
    row = new_onboarding(scope, seller.id, OnboardingSketch(**customer.model_dump()))
    tx.add(row)
    return ask(uow, tx, scope, seller, row, customer, check=check)


@use_case
def list_onboardings(
    tx: Session, caller: Caller, *, organisation: str, state: OnboardingState | None, after: str | None, limit: int
) -> list[OnboardingBody]:
    """Whom a seller brings or brought on board, the last changed first; for its own members.

    Without a state all but the drafts that were given up.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    rows = store.page_of_onboardings(tx, seller.id, state=state, after=moment_place(after), limit=limit)
    return views(tx, scope, rows)


@use_case
def get_onboarding(tx: Session, caller: Caller, *, onboarding: UUID) -> OnboardingBody:
    """One of them.

    Raises:
        NotFound: there is none, or the caller is no member of its seller.
    """
    scope = load_scope(tx, caller)
    return view(tx, scope, get_seen(scope, store.find_onboarding(tx, onboarding), onboarding))


@use_case
def draft_onboarding(tx: Session, caller: Caller, *, organisation: str, wanted: OnboardingSketch) -> OnboardingBody:
    """Begin a draft, which any member of the seller that may write them goes on with.

    Raises:
        Forbidden: the caller may not write any.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(WRITES, seller)
    row = new_onboarding(scope, seller.id, wanted)
    tx.add(row)
    tx.flush()
    return view(tx, scope, row)


@use_case
def save_onboarding(
    tx: Session, caller: Caller, *, onboarding: UUID, version: int, wanted: OnboardingSketch
) -> OnboardingBody:
    """Write a draft anew. The same again changes nothing.

    Raises:
        EditedMeanwhile: somebody else changed it since it was read.
        Conflict: it is no draft.
    """
    scope = load_scope(tx, caller)
    row = _mine(tx, scope, onboarding)
    if row.state == OnboardingState.DRAFT and row.wanted == written(wanted):
        return view(tx, scope, row)
    _at(tx, scope, row, version)
    row.wanted = written(wanted)
    count_change(row, scope)
    tx.flush()
    return view(tx, scope, row)


def submit_onboarding(uow: UnitOfWork, caller: Caller, *, onboarding: UUID, version: int) -> OnboardingBody:
    """Bring the customer of a draft on board, or ask for it where somebody else approves it first.

    Raises:
        Invalid: something that a customer needs is not written, or is wrong.
        EditedMeanwhile, Conflict: as in `save_onboarding`.
        QuotaExceeded, NotOffered, NotPriceable, NotActive: what a step refuses; it stays a draft.
    """

    def work(tx: Session) -> OnboardingBody:
        scope = load_scope(tx, caller)
        row = _mine(tx, scope, onboarding)
        over = row.state in (OnboardingState.WAITING, OnboardingState.RUNNING, OnboardingState.DONE)
        if over and row.asked_by == caller.user_id and row.version == version + 1:
            return view(tx, scope, row)
        _at(tx, scope, row, version)
        seller = tx.get_one(OrganisationRow, row.seller_id)
        ask(uow, tx, scope, seller, row, whole(row))
        return view(tx, scope, row)

    return uow.run(work)


def check_onboarding(uow: UnitOfWork, caller: Caller, *, onboarding: UUID) -> OnboardedBody:
    """What would happen now, in sentences, with what it costs and leaves; nothing is done.

    Raises:
        Invalid, QuotaExceeded, NotOffered, NotPriceable, NotActive, Conflict: why it cannot.
    """

    def work(tx: Session) -> OnboardedBody:
        scope = load_scope(tx, caller)
        row = _mine(tx, scope, onboarding)
        if row.state not in (OnboardingState.DRAFT, OnboardingState.WAITING):
            raise Conflict(f"this onboarding is {row.state} already")
        seller = tx.get_one(OrganisationRow, row.seller_id)
        waits_because, state = row.waits_because, OnboardingState(row.state)
        with tx.begin_nested() as trial:
            told = ask(uow, tx, scope, seller, row, whole(row), check=True)
            trial.rollback()
        if state is OnboardingState.WAITING:
            told = told.model_copy(update={"waits_because": waits_because, "state": state})
        return told

    return uow.run(work)


def answer_onboarding(uow: UnitOfWork, caller: Caller, *, onboarding: UUID, answer: OnboardingAnswer) -> OnboardingBody:
    """Approve what waits, which does it; or refuse it, or ask back, with a reason. Safe to repeat.

    Raises:
        Forbidden: the caller is no administrator of its seller.
        EditedMeanwhile: it would do otherwise than what was read: another version, price or limit.
        Conflict: it does not wait, or is one's own.
        Invalid: no reason, or nothing that was read.
        QuotaExceeded, NotOffered, NotPriceable, NotActive: it cannot be done any more; it goes on waiting.
    """

    def work(tx: Session) -> OnboardingBody:
        scope = load_scope(tx, caller)
        row = get_seen(scope, store.lock_onboarding(tx, onboarding), onboarding)
        seller = tx.get_one(OrganisationRow, row.seller_id)
        scope.require_member(APPROVES, seller)
        if row.answered_by == caller.user_id and row.state in _BECOMES[answer.answer]:
            return view(tx, scope, row)
        if row.state != OnboardingState.WAITING:
            raise Conflict(f"this onboarding is {row.state}; it does not wait for approval")
        if row.asked_by == caller.user_id:
            raise Conflict("you asked for this yourself: somebody else approves it")
        said = name_of(" ".join(answer.reason.split()), field="reason", most=LONGEST) if answer.reason else None
        if answer.answer is Answer.APPROVE:
            _approve(uow, tx, scope, seller, row, answer.seal)
        elif said is None:
            raise Invalid("say why: the one who asked reads it", field="reason")
        else:
            row.state = _BECOMES[answer.answer][0]
        row.answer = said
        row.answered_by, row.answered_at = caller.user_id, scope.now
        count_change(row, scope)
        tx.flush()
        name = str(row.wanted.get("name", ""))
        record(tx, caller, f"onboarding {_ACTS[answer.answer]}", seller.id, name, after={"reason": said})
        tell_onboarding(tx, scope, seller, row)
        return view(tx, scope, row)

    return uow.run(work)


_BECOMES = {
    Answer.APPROVE: (OnboardingState.DONE, OnboardingState.RUNNING),
    Answer.REFUSE: (OnboardingState.REFUSED,),
    Answer.ASK_BACK: (OnboardingState.DRAFT,),
}
_ACTS = {Answer.APPROVE: "approved", Answer.REFUSE: "refused", Answer.ASK_BACK: "asked back"}


def _approve(
    uow: UnitOfWork, tx: Session, scope: Scope, seller: OrganisationRow, row: OnboardingRow, seal: str | None
) -> None:
    """Do what an approver read; where it would be anything else by now, nothing."""
    if seal is None:
        raise Invalid("say by its seal what you read and approve: look at it first", field="seal")
    outcome = come_on_board(uow.joined(tx), tx, scope.caller, seller, whole(row))
    told = told_of(row, outcome)
    if told.seal != seal:
        raise EditedMeanwhile("it would be otherwise than what you read; look again and decide", version=row.version)
    begin(tx, scope, row, outcome)
    row.told = kept(told, outcome)


@use_case
def withdraw_onboarding(tx: Session, caller: Caller, *, onboarding: UUID) -> OnboardingBody:
    """Take back what waits, so that it is a draft again. Safe to repeat.

    Raises:
        Conflict: it was answered already.
    """
    scope = load_scope(tx, caller)
    row = _mine(tx, scope, onboarding)
    if row.state == OnboardingState.WAITING:
        row.state, row.waits_because = OnboardingState.DRAFT, None
        count_change(row, scope)
        record(tx, caller, "onboarding withdrawn", row.seller_id, str(row.wanted.get("name", "")))
        tx.flush()
    elif row.state != OnboardingState.DRAFT:
        raise Conflict(f"this onboarding is {row.state} already")
    return view(tx, scope, row)


@use_case
def discard_onboarding(tx: Session, caller: Caller, *, onboarding: UUID) -> None:
    """Give a draft up. Safe to repeat.

    Raises:
        Conflict: it is no draft.
    """
    scope = load_scope(tx, caller)
    row = _mine(tx, scope, onboarding)
    if row.state == OnboardingState.WITHDRAWN:
        return
    if row.state not in (OnboardingState.DRAFT, OnboardingState.REFUSED):
        raise Conflict(f"this onboarding is {row.state}; only a draft is given up")
    row.state = OnboardingState.WITHDRAWN
    count_change(row, scope)


def to_approve(tx: Session, scope: Scope, seller: UUID, most: int) -> list[OnboardingBody]:
    """What waits for the approval of a seller's administrators, but what the caller asked for."""
    if not scope.is_member(seller, APPROVES):
        return []
    rows = store.waiting_onboardings(tx, seller, most=most)
    return views(tx, scope, [row for row in rows if row.asked_by != scope.caller.user_id])


def _mine(tx: Session, scope: Scope, onboarding: UUID) -> OnboardingRow:
    """An onboarding for a change, of a seller of which the caller may write them."""
    row = get_seen(scope, store.lock_onboarding(tx, onboarding), onboarding)
    if not scope.is_member(row.seller_id, WRITES):
        seller = tx.get_one(OrganisationRow, row.seller_id)
        raise Forbidden(right=WRITES, organisation=seller.slug, name=seller.name)
    return row


def _at(tx: Session, scope: Scope, row: OnboardingRow, version: int) -> None:
    """Check that a draft is as it was read."""
    if row.state != OnboardingState.DRAFT:
        remedy = "; take it back first" if row.state == OnboardingState.WAITING else ""
        raise Conflict(f"this onboarding is {row.state}, no draft any more{remedy}", state=row.state)
    if row.version != version:
        who = view(tx, scope, row).changed_by
        raise EditedMeanwhile(
            f"{who} changed this draft meanwhile: it is at version {row.version}, you changed {version}; look again",
            version=row.version,
        )
