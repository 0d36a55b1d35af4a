"""Routes of bringing customers on board."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.usecases.subscriptions import onboarding_policies, onboarding_tasks, onboardings
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingAnswer,
    OnboardingBody,
    OnboardingPolicyBody,
    OnboardingSave,
    OnboardingsBody,
    OnboardingsCreate,
    OnboardingSketch,
    OnboardingSubmit,
)
from gradumen.wire.values import Page

router = Router(tags=["onboardings"])


@router.post(
    "/organisations/{organisation}/onboardings", status_code=status.HTTP_201_CREATED, response_model=OnboardingsBody
)
def onboard_customers(
    organisation: str, body: OnboardingsCreate, uow: Uow, caller: CallerHere, once: OnceHere
) -> Response:
    """Bring customers on board, each with limits, projects, people and subscriptions; all of it or nothing.

    What passes the seller's bounds, or comes from somebody who may not do it alone, waits for approval.
    """
    return answered(
        uow,
        once,
        201,
        lambda u: onboardings.onboard_customers(u, caller, organisation=organisation, wanted=body),
    )


@router.get("/organisations/{organisation}/onboardings")
def list_onboardings(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    state: OnboardingState | None = None,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[OnboardingBody]:
    """Whom a seller brings or brought on board, the last changed first; without a state all but what was given up."""
    size = page_limit(limit)
    found = onboardings.list_onboardings(
        uow, caller, organisation=organisation, state=state, after=after, limit=size + 1
    )
    return page_of(found, size, lambda last: f"{last.changed_at.isoformat()}|{last.id}")


@router.post(
    "/organisations/{organisation}/onboardings/drafts",
    status_code=status.HTTP_201_CREATED,
    response_model=OnboardingBody,
)
def draft_onboarding(
    organisation: str, body: OnboardingSketch, uow: Uow, caller: CallerHere, once: OnceHere
) -> Response:
    """Begin a draft of a new customer; anybody of the seller who may write them goes on with it."""
    return answered(
        uow, once, 201, lambda u: onboardings.draft_onboarding(u, caller, organisation=organisation, wanted=body)
    )


@router.get("/onboardings/{onboarding}")
def get_onboarding(onboarding: UUID, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """One onboarding, for the members of its seller."""
    return onboardings.get_onboarding(uow, caller, onboarding=onboarding)


@router.put("/onboardings/{onboarding}")
def save_onboarding(onboarding: UUID, body: OnboardingSave, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """Write a draft anew, over the version that was read. Safe to repeat."""
    return onboardings.save_onboarding(uow, caller, onboarding=onboarding, version=body.version, wanted=body.wanted)


@router.delete("/onboardings/{onboarding}", status_code=status.HTTP_204_NO_CONTENT)
def discard_onboarding(onboarding: UUID, uow: Uow, caller: CallerHere) -> None:
    """Give a draft, or what was refused, up. Safe to repeat."""
    onboardings.discard_onboarding(uow, caller, onboarding=onboarding)


@router.post("/onboardings/{onboarding}/check")
def check_onboarding(onboarding: UUID, uow: Uow, caller: CallerHere) -> OnboardedBody:
    """What would happen now, in sentences, with what it costs and leaves; nothing is done."""
    return onboardings.check_onboarding(uow, caller, onboarding=onboarding)


@router.post("/onboardings/{onboarding}/submit")
def submit_onboarding(onboarding: UUID, body: OnboardingSubmit, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """Bring the customer of a draft on board, or ask for it where somebody else approves it. Safe to repeat."""
    return onboardings.submit_onboarding(uow, caller, onboarding=onboarding, version=body.version)


@router.post("/onboardings/{onboarding}/answer")
def answer_onboarding(onboarding: UUID, body: OnboardingAnswer, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """Approve what waits, refuse it or ask back; another administrator's to do. Safe to repeat."""
    return onboardings.answer_onboarding(uow, caller, onboarding=onboarding, answer=body)


@router.post("/onboardings/{onboarding}/withdraw")
def withdraw_onboarding(onboarding: UUID, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """Take back what waits, so that it is a draft again. Safe to repeat."""
    return onboardings.withdraw_onboarding(uow, caller, onboarding=onboarding)


@router.post("/onboardings/{onboarding}/undo")
def undo_onboarding(onboarding: UUID, uow: Uow, caller: CallerHere) -> OnboardingBody:
    """Take back all that was made of a customer whose steps are not all done. Safe to repeat."""
    return onboarding_tasks.undo_onboarding(uow, caller, onboarding=onboarding)


@router.get("/organisations/{organisation}/onboarding-policies")
def list_onboarding_policies(organisation: str, uow: Uow, caller: CallerHere) -> Page[OnboardingPolicyBody]:
    """Up to how much comes on board in a month without another administrator; what is not there has no bound."""
    return Page(items=onboarding_policies.list_onboarding_policies(uow, caller, organisation=organisation))


@router.put("/organisations/{organisation}/onboarding-policies")
def set_onboarding_policy(
    organisation: str, body: OnboardingPolicyBody, uow: Uow, caller: CallerHere
) -> OnboardingPolicyBody:
    """Bound the fees in a currency, or the limits of a measure, that come on board without approval. Safe to repeat."""
    return onboarding_policies.set_onboarding_policy(uow, caller, organisation=organisation, **body.model_dump())
