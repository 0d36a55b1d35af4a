"""Routes of assignment rules."""

from fastapi import status

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.subscriptions import assignment_rules
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleBody, AssignmentRuleSet
from gradumen.wire.values import Page

router = Router(tags=["subscriptions"])


@router.get("/organisations/{organisation}/assignment-rules")
def list_assignment_rules(organisation: str, uow: Uow, caller: CallerHere) -> Page[AssignmentRuleBody]:
    """Which usage falls to which subscription, in the order in which the rules are looked at."""
    found = assignment_rules.list_assignment_rules(uow, caller, organisation=organisation)
    return Page(items=found)


@router.put("/organisations/{organisation}/assignment-rules/{slug}")
def set_assignment_rule(
    organisation: str, slug: str, body: AssignmentRuleSet, uow: Uow, caller: CallerHere
) -> AssignmentRuleBody:
    """Make a rule, or write one anew. Safe to repeat."""
    return assignment_rules.set_assignment_rule(uow, caller, organisation=organisation, slug=slug, **body.model_dump())


@router.delete("/organisations/{organisation}/assignment-rules/{slug}", status_code=status.HTTP_204_NO_CONTENT)
def delete_assignment_rule(organisation: str, slug: str, uow: Uow, caller: CallerHere) -> None:
    """Take a rule away, as if it had never been. Safe to repeat."""
    assignment_rules.delete_assignment_rule(uow, caller, organisation=organisation, slug=slug)
