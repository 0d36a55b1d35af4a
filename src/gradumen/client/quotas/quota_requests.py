"""Requests for other limits."""

from decimal import Decimal
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.quotas.quota_requests import QuotaRequestAnswer, QuotaRequestBody, QuotaRequestCreate


class QuotaRequests:
    """What organisations ask their sellers for."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[QuotaRequestBody]:
        """What an organisation asked for, and is asked by its customers, the latest first."""
        return self._connection.all(f"organisations/{organisation}/quota-requests", QuotaRequestBody)

    def ask(
        self, organisation: str, measure: str, limit: Decimal, reason: str, *, key: str | None = None
    ) -> QuotaRequestBody:
        """Ask for another limit."""
        body = QuotaRequestCreate(measure=measure, limit=limit, reason=reason)
        return self._connection.post(f"organisations/{organisation}/quota-requests", QuotaRequestBody, body, key=key)

    def answer(self, request: UUID, limit: Decimal | None, reason: str | None = None) -> QuotaRequestBody:
        """Grant a request, grant less, or refuse it (None) with a reason."""
        body = QuotaRequestAnswer(limit=limit, reason=reason)
        return self._connection.post(f"quota-requests/{request}/answer", QuotaRequestBody, body)

    def withdraw(self, request: UUID) -> QuotaRequestBody:
        """Take a request back."""
        return self._connection.post(f"quota-requests/{request}/withdraw", QuotaRequestBody)
