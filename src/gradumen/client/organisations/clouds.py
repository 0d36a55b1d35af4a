"""Clouds in which accounts are made, and these."""

import builtins
from typing import Any
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.organisations.clouds import CloudAccountBody, CloudBody, CloudCreate, CloudTriedBody, CloudUpdate


class Clouds:
    """Clouds of sellers."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[CloudBody]:
        """The clouds that an organisation may have accounts made in."""
        return self._connection.page(f"organisations/{organisation}/clouds", CloudBody).items

    def register(self, organisation: str, given: CloudCreate, *, key: str | None = None) -> CloudBody:
        """Register a cloud."""
        return self._connection.post(f"organisations/{organisation}/clouds", CloudBody, given, key=key)

    def change(self, cloud: UUID, version: int, **given: Any) -> CloudBody:
        """Change what is given of a cloud, over the version that was read."""
        return self._connection.patch(f"clouds/{cloud}", CloudBody, CloudUpdate(version=version, **given))

    def retire(self, cloud: UUID) -> None:
        """Make no new accounts in it any more."""
        self._connection.delete(f"clouds/{cloud}")

    def try_it(self, cloud: UUID) -> CloudTriedBody:
        """Look whether it is reached, and what is missing."""
        return self._connection.post(f"clouds/{cloud}/try", CloudTriedBody)

    def accounts(self, organisation: str) -> builtins.list[CloudAccountBody]:
        """The accounts that an organisation has in clouds."""
        return self._connection.page(f"organisations/{organisation}/cloud-accounts", CloudAccountBody).items
