"""Bringing customers on board."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.onboardings import OnboardingCreate, OnboardingsBody, OnboardingsCreate


class Onboardings:
    """New customers with all that they begin with."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def make(
        self, seller: str, customers: Sequence[OnboardingCreate], *, check: bool = False, key: str | None = None
    ) -> OnboardingsBody:
        """Bring customers on board together or not at all; with ``check`` only see whether they can be."""
        body = OnboardingsCreate(customers=list(customers), check=check)
        return self._connection.post(f"organisations/{seller}/onboardings", OnboardingsBody, body, key=key)
