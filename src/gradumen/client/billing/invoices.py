"""Invoices and their drafts."""

from collections.abc import Sequence
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.billing.invoices import InvoiceBody, InvoicesBody, IssueDrafts
from gradumen.wire.tasks import TaskBody


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
        organisation: str | None = None,
        period: str | None = None,
        search: str = "",
    ) -> list[InvoiceBody]:
        """Drafts and documents, newest period first, without lines.

        Args:
            organisation: seller or buyer.
            search: a text in the number or in the parties' names.
        """
        asked = {"state": state, "seller": seller, "buyer": buyer, "organisation": organisation, "period": period}
        return self._connection.all_of("invoices", InvoicesBody, **asked, search=search, limit=500)

    def get(self, invoice_id: UUID) -> InvoiceBody:
        """One with its lines."""
        return self._connection.get(f"invoices/{invoice_id}", InvoiceBody)

    def issue(self, invoice_id: UUID) -> InvoiceBody:
        """Give a draft its number; safe to repeat."""
        return self._connection.post(f"invoices/{invoice_id}/issue", InvoiceBody)

    def issue_many(
        self, organisation: str, invoices: Sequence[UUID] | None = None, *, key: str | None = None
    ) -> TaskBody:
        """Ask for drafts of a seller to be issued, all or those named; gives the task that does it."""
        path = f"organisations/{organisation}/invoices/issue"
        return self._connection.post(
            path, TaskBody, IssueDrafts(invoices=None if invoices is None else [*invoices]), key=key
        )

    def discard(self, invoice_id: UUID) -> None:
        """Discard a draft."""
        self._connection.delete(f"invoices/{invoice_id}")

    def pdf(self, invoice_id: UUID) -> bytes:
        """An issued document as PDF."""
        return self._connection.get_file(f"invoices/{invoice_id}/pdf")
