"""Invoices and their drafts."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.billing.invoices import InvoiceBody


class Invoices:
    """Drafts and issued documents."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self,
        *,
        state: str | None = None,
        seller: str | None = None,
        buyer: str | None = None,
        period: str | None = None,
    ) -> list[InvoiceBody]:
        """Drafts and documents, newest period first, without lines."""
        return self._connection.all(
            "invoices", InvoiceBody, state=state, seller=seller, buyer=buyer, period=period, limit=500
        )

    def get(self, invoice_id: UUID) -> InvoiceBody:
        """One with its lines."""
        return self._connection.get(f"invoices/{invoice_id}", InvoiceBody)

    def issue(self, invoice_id: UUID) -> InvoiceBody:
        """Give a draft its number; safe to repeat."""
        return self._connection.post(f"invoices/{invoice_id}/issue", InvoiceBody)

    def discard(self, invoice_id: UUID) -> None:
        """Discard a draft."""
        self._connection.delete(f"invoices/{invoice_id}")

    def pdf(self, invoice_id: UUID) -> bytes:
        """An issued document as PDF."""
        return self._connection.send("GET", f"invoices/{invoice_id}/pdf").content
