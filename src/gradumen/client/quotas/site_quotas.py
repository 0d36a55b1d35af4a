"""Limits at sites and of pools, and who may use which site."""

import builtins
from collections.abc import Sequence
from decimal import Decimal
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.organisations.sites import PermittedSites
from gradumen.wire.quotas.site_quotas import SiteQuotaBody, SiteQuotaGrant


class SiteQuotas:
    """Limits at sites and of pools."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[SiteQuotaBody]:
        """What an organisation and its projects may have at sites and of pools."""
        return self._connection.page(f"organisations/{organisation}/site-quotas", SiteQuotaBody).items

    def grant(
        self,
        organisation: str,
        site: UUID,
        measure: str,
        limit: Decimal | None,
        *,
        pool: UUID | None = None,
        project: str | None = None,
        label: str | None = None,
    ) -> SiteQuotaBody:
        """Set a limit; None takes it away."""
        body = SiteQuotaGrant(limit=limit, pool=pool, project=project, label=label)
        return self._connection.put(f"organisations/{organisation}/site-quotas/{site}/{measure}", SiteQuotaBody, body)

    def permitted(self, organisation: str, project: str | None = None) -> builtins.list[UUID] | None:
        """The sites that an organisation, or a project of it, is held to; None is all that it might be."""
        return self._connection.get(_path(organisation, project), PermittedSites).sites

    def permit(self, organisation: str, sites: Sequence[UUID] | None, *, project: str | None = None) -> None:
        """Hold an organisation, or a project of it, to some sites; None is all that it might be."""
        body = PermittedSites(sites=None if sites is None else [*sites])
        self._connection.put(_path(organisation, project), PermittedSites, body)


def _path(organisation: str, project: str | None) -> str:
    unit = f"/projects/{project}" if project else ""
    return f"organisations/{organisation}{unit}/permitted-sites"
