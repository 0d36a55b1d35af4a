"""Routes of trials of rules that say whose usage is."""

from functools import partial
from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.expensive import EXPENSIVE
from gradumen.api.routers import Router
from gradumen.usecases.billing import ownership_trials
from gradumen.wire.billing.ownership_trials import OwnershipTrialAsked, OwnershipTrialBody
from gradumen.wire.values import Page

router = Router(tags=["feeds"])


@router.post(
    "/organisations/{organisation}/ownership-trials",
    status_code=status.HTTP_202_ACCEPTED,
    response_model=OwnershipTrialBody,
    dependencies=EXPENSIVE,
)
def ask_ownership_trial(
    organisation: str, body: OwnershipTrialAsked, uow: Uow, caller: CallerHere, once: OnceHere
) -> Response:
    """Try rules on all that came in, with what each customer's months would come to; a task does. Changes nothing."""
    ask = partial(ownership_trials.ask_trial, organisation=organisation, rules=body.rules)
    return answered(uow, once, 202, lambda joined: ask(joined, caller))


@router.get("/organisations/{organisation}/ownership-trials")
def list_ownership_trials(
    organisation: str, uow: Uow, caller: CallerHere, after: str | None = None, limit: Annotated[int, Query()] = 50
) -> Page[OwnershipTrialBody]:
    """What was tried in the last 90 days, newest first, without what came of it."""
    size = page_limit(limit)
    found = ownership_trials.list_trials(uow, caller, organisation=organisation, after=after, limit=size + 1)
    return page_of(found, size, lambda last: f"{last.asked_at.isoformat()}|{last.id}")


@router.get("/ownership-trials/{ownership_trial_id}")
def read_ownership_trial(ownership_trial_id: UUID, uow: Uow, caller: CallerHere) -> OwnershipTrialBody:
    """One trial: what would move, and what the months of customers would come to, when it is done."""
    return ownership_trials.read_trial(uow, caller, trial_id=ownership_trial_id)
