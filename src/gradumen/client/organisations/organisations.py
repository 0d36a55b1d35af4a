"""Organisations."""

from typing import Any

from gradumen.client.connection import Connection
from gradumen.wire.organisations.organisations import OrganisationBody, OrganisationCreate, OrganisationUpdate


class Organisations:
    """The tree of organisations."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, slug: str) -> OrganisationBody:
        """One organisation."""
        return self._connection.get(f"organisations/{slug}", OrganisationBody)

    def create(self, body: OrganisationCreate, *, key: str | None = None) -> OrganisationBody:
        """Bring a reseller or tenant on board."""
        return self._connection.post("organisations", OrganisationBody, body, key=key)

    def change(self, organisation: str, **given: Any) -> OrganisationBody:
        """Change what is given: name, cost_centre, or as its seller segment, tags, notes, payer."""
        return self._connection.patch(f"organisations/{organisation}", OrganisationBody, OrganisationUpdate(**given))

    def list(
        self,
        *,
        search: str | None = None,
        parent: str | None = None,
        type: str | None = None,
        state: str | None = None,
        tag: str | None = None,
    ) -> list[OrganisationBody]:
        """All organisations in scope, by slug; with ``parent`` only those that one sells to."""
        wanted = {"search": search, "parent": parent, "type": type, "state": state, "tag": tag}
        return self._connection.all("organisations", OrganisationBody, **wanted, limit=1000)
