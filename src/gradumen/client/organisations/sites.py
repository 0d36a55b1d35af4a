"""Sites where capacity is."""

from typing import Any
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.organisations.sites import SiteBody, SiteCreate, SiteUpdate


class Sites:
    """Sites of sellers."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[SiteBody]:
        """The sites that an organisation may use."""
        return self._connection.page(f"organisations/{organisation}/sites", SiteBody).items

    def register(self, organisation: str, given: SiteCreate, *, key: str | None = None) -> SiteBody:
        """Register a site."""
        return self._connection.post(f"organisations/{organisation}/sites", SiteBody, given, key=key)

    def change(self, site: UUID, version: int, **given: Any) -> SiteBody:
        """Change what is given of a site, over the version that was read."""
        return self._connection.patch(f"sites/{site}", SiteBody, SiteUpdate(version=version, **given))

    def retire(self, site: UUID) -> None:
        """Give no limits there any more."""
        self._connection.delete(f"sites/{site}")
