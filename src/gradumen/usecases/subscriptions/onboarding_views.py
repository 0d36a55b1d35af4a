"""Onboardings as their viewers see them, and who is told of one."""

from collections.abc import Sequence
from uuid import UUID

from gradumen.core.exact import money
from gradumen.core.messages import Kind
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.store.access.members import member_ids, names_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.tables import OnboardingRow
from gradumen.store.tasks import tasks_by_id
from gradumen.store.unit_of_work import Session
from gradumen.usecases.messages import member_as_reader, people_with, tell
from gradumen.usecases.scope import Scope
from gradumen.usecases.tasks import task_bodies, with_steps
from gradumen.wire.subscriptions.onboardings import MonthlyBody, OnboardingBody, OnboardingSketch


def views(tx: Session, scope: Scope, rows: Sequence[OnboardingRow]) -> list[OnboardingBody]:
    """Onboardings as members of their seller see them."""
    known = organisations_by_id(tx, {each for row in rows for each in (row.seller_id, row.organisation_id) if each})
    people = _people(tx, scope, rows)
    tasks = {each.id: each for each in task_bodies(tx, tasks_by_id(tx, {row.task_id for row in rows if row.task_id}))}
    return [
        OnboardingBody(
            id=row.id,
            seller=known[row.seller_id].slug,
            state=OnboardingState(row.state),
            version=row.version,
            wanted=OnboardingSketch.model_validate(row.wanted),
            sentences=row.told["sentences"] if row.told else [],
            monthly=[MonthlyBody.model_validate(each) for each in row.told["monthly"]] if row.told else [],
            waits_because=row.waits_because if row.state == OnboardingState.WAITING else None,
            answer=row.answer,
            customer=known[row.organisation_id].slug if row.organisation_id else None,
            made_by=people[row.made_by],
            changed_by=people[row.changed_by],
            changed_at=row.changed_at,
            asked_by=people[row.asked_by] if row.asked_by else None,
            yours=row.asked_by == scope.caller.user_id,
            asked_at=row.asked_at,
            answered_by=people[row.answered_by] if row.answered_by else None,
            answered_at=row.answered_at,
            task=tasks.get(row.task_id) if row.task_id else None,
        )
        for row in rows
    ]


def _people(tx: Session, scope: Scope, rows: Sequence[OnboardingRow]) -> dict[UUID, str]:
    """Who wrote, asked and answered; who is no member of the seller, as one above it, is not named to its members."""
    users = {user for row in rows for user in (row.made_by, row.changed_by, row.asked_by, row.answered_by) if user}
    named = {user for seller in {row.seller_id for row in rows} for user in member_ids(tx, seller)}
    names = names_of(tx, users & (named | {scope.caller.user_id}))
    return {user: names.get(user, "somebody from outside") for user in users}


def view(tx: Session, scope: Scope, row: OnboardingRow) -> OnboardingBody:
    """One of them, with what does it step by step."""
    told = views(tx, scope, [row])[0]
    return told.model_copy(update={"task": with_steps(tx, told.task)}) if told.task else told


def tell_onboarding(tx: Session, scope: Scope, seller: OrganisationRow, row: OnboardingRow) -> None:
    """Tell those who are to approve it that it waits, and who asked what came of it."""
    told = view(tx, scope, row)
    comes_to = " and ".join(f"{money(each.amount, each.currency)} {each.currency}" for each in told.monthly)
    facts = {
        "customer": told.wanted.name,
        "seller": seller.name,
        "comes_to": f"It comes to {comes_to} a month." if comes_to else "It comes to no fees.",
        "asked_by": told.asked_by or "",
    }
    path, at = f"/onboardings/{row.id}", scope.caller.at
    if row.state == OnboardingState.WAITING:
        for reader in people_with(tx, scope, seller.id, Right.MANAGE_ORGANISATIONS, but=row.asked_by):
            tell(tx, Kind.ONBOARDING_WAITS, reader, facts, at=at, organisation=seller.id, sender=seller.id, path=path)
        return
    outcome = {
        OnboardingState.DONE: "done" if row.task_id else "approved",
        OnboardingState.RUNNING: "approved",
        OnboardingState.REFUSED: "not approved",
    }
    facts |= {"outcome": outcome.get(OnboardingState(row.state), "asked back"), "reason": told.answer or ""}
    for reader in member_as_reader(tx, seller.id, row.asked_by) if row.asked_by else []:
        tell(tx, Kind.ONBOARDING_ANSWERED, reader, facts, at=at, organisation=seller.id, sender=seller.id, path=path)
