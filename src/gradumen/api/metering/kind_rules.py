"""Routes of rules that say of what kind readings are, and of a reading that is only looked at."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import kind_rules, reading_trials
from gradumen.wire.metering.kind_rules import (
    KindPreviewBody,
    KindRulesBody,
    KindRulesPreview,
    KindRulesSet,
    ReadingTrial,
    ReadingTrialBody,
)

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/kind-rules")
def list_kind_rules(organisation: str, uow: Uow, caller: CallerHere) -> KindRulesBody:
    """The rules of a seller as they were written, and the order in which they are looked at."""
    return kind_rules.list_kind_rules(uow, caller, organisation=organisation)


@router.put("/organisations/{organisation}/kind-rules")
def set_kind_rules(organisation: str, body: KindRulesSet, uow: Uow, caller: CallerHere) -> KindRulesBody:
    """Set the rules together. Safe to repeat. What they reach is read anew as work in progress."""
    return kind_rules.set_kind_rules(uow, caller, organisation=organisation, wanted=body)


@router.post("/organisations/{organisation}/kind-rules/preview")
def preview_kind_rules(organisation: str, body: KindRulesPreview, uow: Uow, caller: CallerHere) -> KindPreviewBody:
    """What rules would change on what came in; nothing is set."""
    return kind_rules.preview_kind_rules(uow, caller, organisation=organisation, rules=body.rules)


@router.post("/organisations/{organisation}/kind-rules/trial")
def try_reading(organisation: str, body: ReadingTrial, uow: Uow, caller: CallerHere) -> ReadingTrialBody:
    """What one reading would be and whose, by the stored rules or by those given; nothing is taken in."""
    return reading_trials.try_reading(uow, caller, organisation=organisation, trial=body)
