"""Routes of subscriptions."""

from uuid import UUID

from fastapi import Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered
from gradumen.api.routers import Router
from gradumen.usecases.subscriptions import special_terms, subscription_changes, subscriptions
from gradumen.wire.subscriptions.subscriptions import (
    SpecialTermsAgree,
    SpecialTermsBody,
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
    SubscriptionUpdate,
)
from gradumen.wire.values import Page

router = Router(tags=["subscriptions"])


@router.get("/organisations/{organisation}/subscriptions")
def list_subscriptions(organisation: str, uow: Uow, caller: CallerHere, below: bool = False) -> Page[SubscriptionBody]:
    """The subscriptions of an organisation, with ``below`` also of all under it."""
    found = subscriptions.list_subscriptions(uow, caller, organisation=organisation, below=below)
    return Page(items=found)


@router.post("/subscriptions", status_code=status.HTTP_201_CREATED, response_model=SubscriptionBody)
def create_subscription(body: SubscriptionCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Subscribe an organisation to a tier, on every link of its chain."""
    return answered(
        uow,
        once,
        201,
        lambda u: subscriptions.create_subscription(
            u,
            caller,
            organisation=body.organisation,
            wanted=subscriptions.Wanted(**body.model_dump(exclude={"organisation", "accepted_terms"})),
            accepted_terms=body.accepted_terms,
        ),
    )


@router.patch("/subscriptions/{subscription_id}")
def end_subscription(subscription_id: UUID, body: SubscriptionUpdate, uow: Uow, caller: CallerHere) -> SubscriptionBody:
    """Set or take back a subscription's end. Safe to repeat."""
    return subscription_changes.end_subscription(uow, caller, subscription_id=subscription_id, **body.model_dump())


@router.post("/subscriptions/{subscription_id}/change")
def change_subscription(
    subscription_id: UUID, body: SubscriptionChange, uow: Uow, caller: CallerHere
) -> SubscriptionBody:
    """Change tier, quantity, plan version, choices or whether it pauses, from a day on. Safe to repeat."""
    return subscription_changes.change_subscription(uow, caller, subscription_id=subscription_id, **body.model_dump())


@router.post("/subscriptions/{subscription_id}/special-terms")
def agree_special_terms(
    subscription_id: UUID, body: SpecialTermsAgree, uow: Uow, caller: CallerHere
) -> SubscriptionBody:
    """Give a subscription a rate card, allowances or levels of its own on one seller's link. Safe to repeat."""
    return subscription_changes.agree_special_terms(uow, caller, subscription_id=subscription_id, **body.model_dump())


@router.get("/organisations/{seller}/special-terms")
def list_special_terms(seller: str, uow: Uow, caller: CallerHere) -> Page[SpecialTermsBody]:
    """Where what a seller sells differs from its plans and rules, today or later."""
    return Page(items=special_terms.list_special_terms(uow, caller, seller=seller))
