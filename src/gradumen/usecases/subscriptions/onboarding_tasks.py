"""An onboarding that is done step by step: its last step, and how all of it is taken back.

It can be taken back until its last step is done: from then on its people may have signed in, and it is closed instead.
"""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from gradumen.core.errors import Conflict
from gradumen.core.organisations.clouds import LATEST, AccountState
from gradumen.core.organisations.states import State
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.core.tasks import Lease
from gradumen.store import tasks as store_tasks
from gradumen.store.access.members import roles_of
from gradumen.store.access.tables import UserRow
from gradumen.store.organisations.clouds import all_accounts_of
from gradumen.store.organisations.organisations import end_edge, lock_organisation
from gradumen.store.organisations.states import add_state
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.quotas import release_quotas
from gradumen.store.revisions import TREE, revise
from gradumen.store.subscriptions import onboardings as store
from gradumen.store.subscriptions.tables import OnboardingRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, load_scope
from gradumen.usecases.subscriptions.onboarding_offers import offer_no_more
from gradumen.usecases.subscriptions.onboarding_steps import finish
from gradumen.usecases.subscriptions.onboarding_trials import APPROVES, count_change, get_seen, whole
from gradumen.usecases.subscriptions.onboarding_views import tell_onboarding, view
from gradumen.usecases.tasks import UNDO_ONBOARDING, require_lease
from gradumen.wire.subscriptions.onboardings import OnboardingBody


def customer_of(tx: Session, lease: Lease) -> OnboardingRow:
    """The onboarding that a task is of, for a decision.

    Raises:
        Conflict: another task took its place.
    """
    require_lease(tx, lease)
    row = store.lock_onboarding(tx, UUID(lease.inputs["onboarding"]))
    if row is None or row.task_id != lease.task:
        raise Conflict("another task took the place of this one")
    return row


@dataclass(frozen=True, slots=True)
class Customer:
    """A customer that comes on board: its organisation, and those of its people who become users in clouds."""

    organisation: UUID
    people: tuple[str, ...]


@use_case
def customer_to_make(tx: Session, *, lease: Lease) -> Customer:
    """The customer whose accounts are made, or taken away."""
    row = customer_of(tx, lease)
    if row.organisation_id is None:
        raise Conflict("this onboarding has no organisation")
    return Customer(row.organisation_id, tuple(each.email for each in whole(row).people if each.cloud_user))


def finish_onboarding(uow: UnitOfWork, *, lease: Lease, at: datetime) -> list[str]:
    """Invite its people and give it its tiers, as the one who asked for it or approved it; gives what was done.

    Raises:
        Forbidden: that one may not do it any more.
        Conflict: it would be otherwise than what was let through, as dearer.
        QuotaExceeded, NotOffered, NotPriceable, NotActive: a step is refused by now.
    """

    def work(tx: Session) -> list[str]:
        row = customer_of(tx, lease)
        if row.state != OnboardingState.RUNNING:
            return []
        caller = _doing(tx, row, at)
        scope = load_scope(tx, caller)
        made = tx.get_one(OrganisationRow, row.organisation_id)
        begun = row.answered_at if row.answered_by else row.asked_at
        ended = finish(uow.joined(tx), tx, caller, made.slug, whole(row), (begun or scope.now).date())
        sentences = ended.sentences
        promised = row.told["sentences"] if row.told else []
        if sentences != promised[len(promised) - len(sentences) :]:
            raise Conflict("by now it would be otherwise than what was let through; take it back and write it anew")
        row.state = OnboardingState.DONE
        count_change(row, scope)
        tx.flush()
        tell_onboarding(tx, scope, tx.get_one(OrganisationRow, row.seller_id), row)
        return sentences

    return uow.run(work)


def _doing(tx: Session, row: OnboardingRow, at: datetime) -> Caller:
    """Who lets it be done: who approved it, else who asked, with the roles of now."""
    user = tx.get_one(UserRow, row.answered_by or row.asked_by or row.made_by)
    return Caller(user.id, user.email, user.name, roles_of(tx, user.id), at)


@use_case
def undo_onboarding(tx: Session, caller: Caller, *, onboarding: UUID) -> OnboardingBody:
    """Take back all that an onboarding made that is not done yet. Safe to repeat.

    Raises:
        Forbidden: the caller is no administrator of its seller.
        Conflict: it is done: it is closed instead; or it was never begun.
    """
    scope = load_scope(tx, caller)
    row = get_seen(scope, store.lock_onboarding(tx, onboarding), onboarding)
    seller = tx.get_one(OrganisationRow, row.seller_id)
    scope.require_member(APPROVES, seller)
    if row.state in (OnboardingState.UNDOING, OnboardingState.UNDONE):
        return view(tx, scope, row)
    if row.state != OnboardingState.RUNNING or row.task_id is None:
        done = row.state == OnboardingState.DONE
        raise Conflict(
            "it is on board: from its first day on it is closed, not taken back" if done else f"it is {row.state}"
        )
    # Whoever works on it writes nothing for it any more; what it asked of a cloud may still come, so one looks twice.
    store_tasks.end_task(tx, row.task_id, scope.caller.at)
    row.state, row.task_id = OnboardingState.UNDOING, _undo_task(tx, scope.caller, row, caller.at).id
    count_change(row, scope)
    tx.flush()
    record(tx, caller, "onboarding taken back", seller.id, str(row.wanted.get("name", "")))
    return view(tx, scope, row)


def _undo_task(tx: Session, caller: Caller, row: OnboardingRow, at: datetime) -> store_tasks.TaskRow:
    return store_tasks.add_task(
        tx,
        UNDO_ONBOARDING,
        str(row.wanted.get("name", "")),
        at=at,
        organisation=row.seller_id,
        asked_by=caller.user_id,
        inputs={"onboarding": str(row.id)},
        counted="steps",
    )


@use_case
def end_undone(tx: Session, *, lease: Lease, at: datetime) -> bool:
    """The accounts are taken away: the organisation goes, and a second look at its clouds is put on the list.

    Gives whether it was the first look; after the second nothing is left to do.
    """
    row = customer_of(tx, lease)
    made = tx.get_one(OrganisationRow, row.organisation_id)
    for account in all_accounts_of(tx, made.id):
        account.state, account.external_id = AccountState.REMOVED, None
    if row.state != OnboardingState.UNDOING:
        return False
    user = tx.get_one(UserRow, lease.asked_by)
    caller = Caller(user.id, user.email, user.name, {}, at)
    scope = load_scope(tx, caller)
    lock_organisation(tx, made.id)
    offer_no_more(tx, scope, tx.get_one(OrganisationRow, row.seller_id), made)
    release_quotas(tx, made.id, scope.now)
    add_state(tx, made.id, scope.now, State.CLOSED, "it did not come on board", scope.now)
    end_edge(tx, made.id, row.seller_id, scope.now)
    # The slug is free for another try.
    made.slug = f"undone-{made.id.hex[:20]}"
    revise(tx, TREE)
    row.state, row.task_id = OnboardingState.UNDONE, _undo_task(tx, caller, row, at + LATEST).id
    count_change(row, scope)
    tx.flush()
    return True
