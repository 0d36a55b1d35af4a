"""Orders of customers, and what goes through without approval."""

import builtins
from decimal import Decimal
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.core.subscriptions.orders import Approver
from gradumen.wire.subscriptions.orders import OrderAnswer, OrderBody, OrderCreate, OrderPolicyBody, OrderPolicySet


class Orders:
    """What organisations order of their sellers."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, *, state: str | None = None) -> list[OrderBody]:
        """What an organisation ordered, and is ordered of it by its customers, the latest first."""
        return self._connection.all(f"organisations/{organisation}/orders", OrderBody, state=state)

    def place(self, organisation: str, wanted: OrderCreate, *, key: str | None = None) -> OrderBody:
        """Order of the seller: done at once, or waiting for its approval."""
        return self._connection.post(f"organisations/{organisation}/orders", OrderBody, wanted, key=key)

    def approve(self, order: UUID, amount: Decimal, reason: str | None = None, *, seal: str | None = None) -> OrderBody:
        """Approve an order up to an amount, which carries it out; with its seal where plan or prices changed."""
        body = OrderAnswer(approve=True, amount=amount, reason=reason, seal=seal)
        return self._connection.post(f"orders/{order}/answer", OrderBody, body)

    def refuse(self, order: UUID, reason: str) -> OrderBody:
        """Refuse an order."""
        return self._connection.post(f"orders/{order}/answer", OrderBody, OrderAnswer(approve=False, reason=reason))

    def withdraw(self, order: UUID) -> OrderBody:
        """Take an order back."""
        return self._connection.post(f"orders/{order}/withdraw", OrderBody)

    def policies(self, organisation: str) -> builtins.list[OrderPolicyBody]:
        """Up to which amount a month is ordered without approval, by its customers and its own people."""
        return self._connection.page(f"organisations/{organisation}/order-policies", OrderPolicyBody).items

    def set_policy(
        self, organisation: str, currency: str, amount: Decimal | None, approver: Approver = Approver.SELLER
    ) -> OrderPolicyBody:
        """Say so; None is any amount."""
        body = OrderPolicySet(approver=approver, currency=currency, amount=amount)
        return self._connection.put(f"organisations/{organisation}/order-policies", OrderPolicyBody, body)
