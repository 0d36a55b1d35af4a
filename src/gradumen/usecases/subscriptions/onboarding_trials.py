"""What an onboarding would do is done, and where somebody else approves it first taken back."""

from dataclasses import replace
from uuid import UUID, uuid4

from pydantic import ValidationError

from gradumen.core.errors import Invalid, NotFound
from gradumen.core.permissions import Right, Role
from gradumen.core.subscriptions.onboardings import OnboardingState, passed, seal_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions import onboardings as store
from gradumen.store.subscriptions.tables import OnboardingRow
from gradumen.store.tasks import add_task
from gradumen.store.unit_of_work import Session, UnitOfWork
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.rating.linked_accounts import linked_accounts
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.usecases.subscriptions.onboarding_policies import bound_words, sums_told
from gradumen.usecases.subscriptions.onboarding_steps import Outcome, come_on_board, left_of
from gradumen.usecases.subscriptions.onboarding_views import tell_onboarding
from gradumen.usecases.tasks import ONBOARDING
from gradumen.wire.subscriptions.onboardings import (
    MonthlyBody,
    OnboardedBody,
    OnboardingCreate,
    OnboardingSketch,
)

WRITES = Right.MANAGE_SUBSCRIPTIONS
"""What of its seller's members somebody has who may write drafts and ask for them."""
APPROVES = Right.MANAGE_ORGANISATIONS


def ask(
    uow: UnitOfWork,
    tx: Session,
    scope: Scope,
    seller: OrganisationRow,
    row: OnboardingRow,
    customer: OnboardingCreate,
    *,
    check: bool = False,
) -> OnboardedBody:
    """Bring a customer on board; where somebody else approves it first, that is taken back."""
    caller, alone = scope.caller, scope.may(APPROVES, seller.id)
    with tx.begin_nested() as trial:
        trying = caller if alone else _as_administrator(scope, seller)
        outcome = come_on_board(uow.joined(tx), tx, trying, seller, customer)
        why = _waits_because(tx, scope, seller, outcome) if alone else f"{caller.name} may not do it alone"
        told = told_of(row, outcome)
        if check or why:
            seen = load_scope(tx, trying)
            leaves = left_of(tx, seen, seller, outcome.limits)
            linked = linked_accounts(uow.joined(tx), tx, trying, seen, seller, customer)
            looked = {"leaves": leaves, "linked": linked, "waits_because": why, "welcome": outcome.welcome}
            told = told.model_copy(update=looked)
        if why:
            trial.rollback()
    row.state, row.waits_because, row.at_once = OnboardingState.WAITING, why, why is None
    if why is None:
        begin(tx, scope, row, outcome)
    row.told = kept(told, outcome)
    row.asked_by, row.asked_at, row.answer, row.answered_by = caller.user_id, scope.now, None, None
    count_change(row, scope)
    tx.flush()
    if why:
        acting = acting_for(scope, seller.id, APPROVES) if alone else seller.id
        record(tx, caller, "onboarding asked for", acting, customer.name, concerns=seller.id, after={"why": why})
        tell_onboarding(tx, scope, seller, row)
    return told.model_copy(update={"onboarding": None if check else row.id, "state": OnboardingState(row.state)})


def begin(tx: Session, scope: Scope, row: OnboardingRow, outcome: Outcome) -> None:
    """A customer is there: all of it, or, where accounts in clouds are to be made first, a task does the rest."""
    row.organisation_id, row.state = outcome.organisation, OnboardingState.DONE
    if outcome.accounts:
        row.state = OnboardingState.RUNNING
        row.task_id = add_task(
            tx,
            ONBOARDING,
            outcome.name,
            at=scope.caller.at,
            organisation=row.seller_id,
            # Who acts from above is not named to the seller's people.
            asked_by=scope.caller.user_id if scope.is_member(row.seller_id) else None,
            inputs={"onboarding": str(row.id)},
            counted="steps",
            total=outcome.accounts + 1,
            concerns=outcome.organisation,
        ).id


def _waits_because(tx: Session, scope: Scope, seller: OrganisationRow, outcome: Outcome) -> str | None:
    """Why somebody else approves what comes on board; its seller's row is written by now, where rivals queue."""
    bounds = {row.subject: row.amount for row in store.policies_of(tx, seller.id)}
    if not bounds:
        return None
    since = scope.now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    what = passed(bounds, [sums_told(told) for told in store.told_since(tx, seller.id, since)], outcome.sums)
    return None if what is None else bound_words(tx, what, bounds[what])


def _as_administrator(scope: Scope, seller: OrganisationRow) -> Caller:
    """Who may ask, with the rights of whoever approves: only to try what is then taken back.

    Raises:
        Forbidden: no member of the seller that may ask.
    """
    scope.require_member(WRITES, seller)
    return replace(scope.caller, roles={**scope.caller.roles, seller.id: Role.ADMINISTRATOR})


def told_of(row: OnboardingRow, outcome: Outcome) -> OnboardedBody:
    return OnboardedBody(
        state=OnboardingState(row.state),
        organisation=outcome.slug,
        name=outcome.name,
        sentences=outcome.sentences,
        monthly=[MonthlyBody(currency=each, amount=amount) for each, amount in outcome.monthly.items()],
        seal=seal_of(row.version, outcome.sentences, outcome.sums),
    )


def kept(told: OnboardedBody, outcome: Outcome) -> dict[str, object]:
    sums = {what: None if amount.is_infinite() else str(amount) for what, amount in outcome.sums.items()}
    return {
        "sentences": told.sentences,
        "sums": sums,
        "monthly": [each.model_dump(mode="json") for each in told.monthly],
    }


def new_onboarding(scope: Scope, seller: UUID, wanted: OnboardingSketch) -> OnboardingRow:
    return OnboardingRow(
        id=uuid4(),
        seller_id=seller,
        state=OnboardingState.DRAFT,
        version=1,
        wanted=written(wanted),
        told=None,
        organisation_id=None,
        at_once=False,
        waits_because=None,
        answer=None,
        made_by=scope.caller.user_id,
        changed_by=scope.caller.user_id,
        changed_at=scope.now,
    )


def written(wanted: OnboardingSketch) -> dict[str, object]:
    return wanted.model_dump(mode="json", exclude_unset=True)


def count_change(row: OnboardingRow, scope: Scope) -> None:
    row.version += 1
    row.changed_by, row.changed_at = scope.caller.user_id, scope.now


def get_seen(scope: Scope, row: OnboardingRow | None, onboarding: UUID) -> OnboardingRow:
    """An onboarding of a seller whose people the caller is of.

    Raises:
        NotFound: it is none.
    """
    if row is None or not scope.is_member(row.seller_id, Right.READ_MONEY):
        raise NotFound("onboarding", onboarding)
    return row


def whole(row: OnboardingRow) -> OnboardingCreate:
    """What is wanted, as a customer that has all that it needs.

    Raises:
        Invalid: it has not.
    """
    for field in ("name", "slug"):
        if not row.wanted.get(field):
            raise Invalid(f"the new customer needs a {'name' if field == 'name' else 'short name'}", field=field)
    try:
        return OnboardingCreate.model_validate(row.wanted)
    except ValidationError as error:
        wrong = error.errors()[0]
        field = ".".join(map(str, wrong["loc"]))
        raise Invalid(f"{field}: {wrong['msg'].lower()}", field=field) from error
