"""Amounts charged by hand."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate


class OneOffCharges:
    """Amounts that a seller charges by hand."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def enter(self, body: OneOffChargeCreate, *, key: str | None = None) -> OneOffChargeBody:
        """Charge an amount by hand."""
        return self._connection.post("one-off-charges", OneOffChargeBody, body, key=key)

    def withdraw(self, charge_id: UUID) -> OneOffChargeBody:
        """Take a charge back."""
        return self._connection.post(f"one-off-charges/{charge_id}/withdraw", OneOffChargeBody)

    def list(self, seller: str) -> list[OneOffChargeBody]:
        """What a seller has charged by hand, the latest first."""
        return self._connection.page(f"organisations/{seller}/one-off-charges", OneOffChargeBody).items
