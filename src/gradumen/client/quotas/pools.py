"""Pools of capacity."""

from typing import Any
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.quotas.pools import PoolBody, PoolCreate, PoolUpdate


class Pools:
    """What there is of measures at one's own sites."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[PoolBody]:
        """The pools of an organisation, with what of them is promised."""
        return self._connection.page(f"organisations/{organisation}/pools", PoolBody).items

    def make(self, organisation: str, given: PoolCreate, *, key: str | None = None) -> PoolBody:
        """Say what there is."""
        return self._connection.post(f"organisations/{organisation}/pools", PoolBody, given, key=key)

    def change(self, pool: UUID, version: int, **given: Any) -> PoolBody:
        """Change what is given of a pool, over the version that was read."""
        return self._connection.patch(f"pools/{pool}", PoolBody, PoolUpdate(version=version, **given))

    def retire(self, pool: UUID) -> None:
        """It is not there any more."""
        self._connection.delete(f"pools/{pool}")
