"""Subscriptions."""

from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.subscriptions import (
    SpecialTermsAgree,
    SpecialTermsBody,
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
    SubscriptionUpdate,
)


class Subscriptions:
    """Who has which tier of which plan."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def create(self, body: SubscriptionCreate, *, key: str | None = None) -> SubscriptionBody:
        """Subscribe an organisation."""
        return self._connection.post("subscriptions", SubscriptionBody, body, key=key)

    def change(self, subscription_id: UUID, body: SubscriptionChange) -> SubscriptionBody:
        """Change what is subscribed, from a day on."""
        return self._connection.post(f"subscriptions/{subscription_id}/change", SubscriptionBody, body)

    def end(self, subscription_id: UUID, ends_on: date | None, *, version: int | None = None) -> SubscriptionBody:
        """Set or take back an end."""
        body = SubscriptionUpdate(ends_on=ends_on, version=version)
        return self._connection.patch(f"subscriptions/{subscription_id}", SubscriptionBody, body)

    def agree(self, subscription_id: UUID, body: SpecialTermsAgree) -> SubscriptionBody:
        """Give a subscription a rate card, allowances or levels of its own, on one seller's link."""
        return self._connection.post(f"subscriptions/{subscription_id}/special-terms", SubscriptionBody, body)

    def special_terms(self, seller: str) -> list[SpecialTermsBody]:
        """Where what a seller sells differs from its plans and rules."""
        return self._connection.page(f"organisations/{seller}/special-terms", SpecialTermsBody).items

    def list(self, organisation: str, *, below: bool = False) -> list[SubscriptionBody]:
        """The subscriptions of an organisation, with ``below`` also of all under it."""
        path = f"organisations/{organisation}/subscriptions"
        return self._connection.page(path, SubscriptionBody, below=below).items
