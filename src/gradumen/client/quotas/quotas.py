"""Limits that flow down the chain."""

import builtins
from decimal import Decimal

from gradumen.client.connection import Connection
from gradumen.wire.quotas.quotas import QuotaBody, QuotaChangeBody, QuotaGrant, SoftLimit


class Quotas:
    """Limits that flow down the tree."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[QuotaBody]:
        """The quotas of an organisation and its projects."""
        return self._connection.page(f"organisations/{organisation}/quotas", QuotaBody).items

    def changes(self, organisation: str, *, measure: str | None = None) -> builtins.list[QuotaChangeBody]:
        """What it and its projects might have when, the latest first."""
        return self._connection.all(f"organisations/{organisation}/quotas/changes", QuotaChangeBody, measure=measure)

    def grant(
        self,
        organisation: str,
        measure: str,
        limit: Decimal | None,
        *,
        project: str | None = None,
        reservation: Decimal | None = None,
        factor: Decimal | None = None,
        label: str | None = None,
        soft: SoftLimit | None = None,
        version: int | None = None,
    ) -> QuotaBody:
        """Set a limit; None is no limit. ``soft`` is what use may exceed for some days."""
        unit = f"projects/{project}/" if project else ""
        body = QuotaGrant(limit=limit, reservation=reservation, factor=factor, label=label, soft=soft, version=version)
        return self._connection.put(f"organisations/{organisation}/{unit}quotas/{measure}", QuotaBody, body)
