"""Routes of rules that say whose usage is that names no owner."""

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.metering import ownership_rules
from gradumen.wire.metering.ownership_rules import (
    OwnershipPreviewBody,
    OwnershipRulesBody,
    OwnershipRulesPreview,
    OwnershipRulesSet,
)

router = Router(tags=["feeds"])


@router.get("/organisations/{organisation}/ownership-rules")
def list_ownership_rules(organisation: str, uow: Uow, caller: CallerHere) -> OwnershipRulesBody:
    """The rules of a seller, in the order in which they are looked at."""
    return ownership_rules.list_ownership_rules(uow, caller, organisation=organisation)


@router.put("/organisations/{organisation}/ownership-rules")
def set_ownership_rules(organisation: str, body: OwnershipRulesSet, uow: Uow, caller: CallerHere) -> OwnershipRulesBody:
    """Set the rules together. Safe to repeat. What they reach is made again as work in progress."""
    return ownership_rules.set_ownership_rules(uow, caller, organisation=organisation, wanted=body)


@router.post("/organisations/{organisation}/ownership-rules/preview")
def preview_ownership_rules(
    organisation: str, body: OwnershipRulesPreview, uow: Uow, caller: CallerHere
) -> OwnershipPreviewBody:
    """What rules would change on what came in; nothing is set."""
    return ownership_rules.preview_ownership_rules(uow, caller, organisation=organisation, rules=body.rules)
