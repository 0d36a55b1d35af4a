"""Who is told of an order, and what."""

from uuid import UUID

from gradumen.core.exact import money
from gradumen.core.messages import Kind
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.orders import Approver, OrderState
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.subscriptions.tables import OrderRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.messages import Reader, member_as_reader, people_with, tell
from gradumen.usecases.scope import Scope
from gradumen.wire.subscriptions.orders import OrderBody


def tell_order(tx: Session, scope: Scope, row: OrderRow, told: OrderBody) -> None:
    """Tell those who are to approve an order that it waits, and who ordered what came of it."""
    names = organisations_by_id(tx, {row.organisation_id, row.seller_id})
    buyer = names[row.organisation_id]
    facts = {
        "customer": buyer.name,
        "what": told.what,
        "adds": _adds(told),
        "reason": told.answer or "",
    }
    path = f"/organisations/{buyer.slug}/subscriptions"
    if row.state != OrderState.WAITING:
        kind = Kind.ORDER_DONE if row.state == OrderState.DONE else Kind.ORDER_REFUSED
        # What an organisation decides among its own people comes from itself.
        sender = row.seller_id if row.reached else buyer.id
        for reader in member_as_reader(tx, buyer.id, row.asked_by):
            tell(tx, kind, reader, facts, at=scope.caller.at, organisation=buyer.id, sender=sender, path=path)
        return
    for approver, reader in _approvers(tx, scope, row):
        tell(
            tx,
            Kind.ORDER_WAITS,
            reader,
            {**facts, "reason": ""},
            at=scope.caller.at,
            organisation=approver,
            sender=approver,
            path=path,
        )


def _approvers(tx: Session, scope: Scope, row: OrderRow) -> list[tuple[UUID, Reader]]:
    """Whose people approve an order next, and who of them may."""
    own = row.waits_for == Approver.OWN
    approver, right = (
        (row.organisation_id, Right.MANAGE_MEMBERS) if own else (row.seller_id, Right.MANAGE_SUBSCRIPTIONS)
    )
    return [(approver, each) for each in people_with(tx, scope, approver, right, but=row.asked_by)]


def _adds(told: OrderBody) -> str:
    """What it comes to a month, as a sentence."""
    if told.amount == 0:
        return "It adds nothing to what is paid each month."
    shown = f"{money(abs(told.amount), told.currency)} {told.currency}"
    return f"It adds {shown} a month." if told.amount > 0 else f"It takes {shown} off each month."
