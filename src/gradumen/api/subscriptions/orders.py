"""Routes of customers' orders, and of what goes through without approval."""

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response, status

from gradumen.api.calls import CallerHere, OnceHere, Uow, answered, page_limit, page_of
from gradumen.api.routers import Router
from gradumen.core.subscriptions.orders import OrderState
from gradumen.usecases.subscriptions import order_policies, orders
from gradumen.wire.subscriptions.orders import OrderAnswer, OrderBody, OrderCreate, OrderPolicyBody, OrderPolicySet
from gradumen.wire.values import Page

router = Router(tags=["orders"])


@router.get("/organisations/{organisation}/orders")
def list_orders(
    organisation: str,
    uow: Uow,
    caller: CallerHere,
    state: OrderState | None = None,
    after: str | None = None,
    limit: Annotated[int, Query()] = 100,
) -> Page[OrderBody]:
    """What an organisation ordered, and is ordered of it by its customers, the latest first.

    For its members; for those of its direct seller what is ordered of that.
    """
    size = page_limit(limit)
    found = orders.list_orders(uow, caller, organisation=organisation, state=state, after=after, limit=size + 1)
    return page_of(found, size, lambda last: f"{last.asked_at.isoformat()}|{last.id}")


@router.post("/organisations/{organisation}/orders", status_code=status.HTTP_201_CREATED, response_model=OrderBody)
def place_order(organisation: str, body: OrderCreate, uow: Uow, caller: CallerHere, once: OnceHere) -> Response:
    """Order of the seller: carried out at once, or waiting for its approval above what it lets through."""
    return answered(uow, once, 201, lambda u: orders.place_order(u, caller, organisation=organisation, wanted=body))


@router.post("/orders/{order}/answer")
def answer_order(order: UUID, body: OrderAnswer, uow: Uow, caller: CallerHere) -> OrderBody:
    """Approve an order, which carries it out, or refuse it with a reason; its seller's to do. Safe to repeat."""
    return orders.answer_order(uow, caller, order=order, **body.model_dump())


@router.post("/orders/{order}/withdraw")
def withdraw_order(order: UUID, uow: Uow, caller: CallerHere) -> OrderBody:
    """Take back an order that waits. Safe to repeat."""
    return orders.withdraw_order(uow, caller, order=order)


@router.get("/organisations/{organisation}/order-policies")
def list_order_policies(organisation: str, uow: Uow, caller: CallerHere) -> Page[OrderPolicyBody]:
    """Up to which amount a month its customers order without its approval, and its people without an administrator's.

    Where none is said, all orders of customers wait, and none of its own people.
    """
    return Page(items=order_policies.list_order_policies(uow, caller, organisation=organisation))


@router.put("/organisations/{organisation}/order-policies")
def set_order_policy(organisation: str, body: OrderPolicySet, uow: Uow, caller: CallerHere) -> OrderPolicyBody:
    """Say up to which amount a month is ordered in a currency without approval. Safe to repeat."""
    return order_policies.set_order_policy(uow, caller, organisation=organisation, **body.model_dump())
