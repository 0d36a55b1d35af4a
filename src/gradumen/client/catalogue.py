"""The catalogue and subscriptions."""

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.catalogue import CatalogueFile, CatalogueFiles, ChangeBody, ChangesBody, PublishedBody, RateCardBody
from gradumen.wire.subscriptions import (
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
    SubscriptionUpdate,
)


class Catalogue:
    """Services, plans and rate cards."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def compare(self, organisation: str, files: Sequence[CatalogueFile]) -> list[ChangeBody]:
        """Check files and say what publishing would change."""
        body = CatalogueFiles(organisation=organisation, files=list(files))
        return self._connection.post("catalogue/compare", ChangesBody, body).changes

    def publish(self, organisation: str, files: Sequence[CatalogueFile]) -> list[ChangeBody]:
        """Publish files, all or none."""
        body = CatalogueFiles(organisation=organisation, files=list(files))
        return self._connection.post("catalogue/publish", ChangesBody, body).changes

    def services(self) -> list[PublishedBody]:
        """The services on offer."""
        return self._connection.page("services", PublishedBody).items

    def plans(self) -> list[PublishedBody]:
        """The plans on offer."""
        return self._connection.page("plans", PublishedBody).items

    def rate_cards(self) -> list[RateCardBody]:
        """Own rate cards, and those that price own purchases."""
        return self._connection.page("rate-cards", RateCardBody).items

    def rate_card(self, seller: str, slug: str) -> RateCardBody:
        """One rate card."""
        return self._connection.get(f"rate-cards/{seller}/{slug}", RateCardBody)

    def rate_card_file(self, seller: str, slug: str) -> str:
        """A rate card as the YAML that publishes it."""
        return self._connection.send("GET", f"rate-cards/{seller}/{slug}/file").text


class Subscriptions:
    """Who has which tier of which plan."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, *, below: bool = False) -> list[SubscriptionBody]:
        """The subscriptions of an organisation, with ``below`` also of all under it."""
        path = f"organisations/{organisation}/subscriptions"
        return self._connection.page(path, SubscriptionBody, below=below).items

    def create(self, body: SubscriptionCreate, *, key: str | None = None) -> SubscriptionBody:
        """Subscribe an organisation."""
        return self._connection.post("subscriptions", SubscriptionBody, body, key=key)

    def change(self, subscription_id: UUID, body: SubscriptionChange) -> SubscriptionBody:
        """Change tier, quantity or whether it pauses, from a day on."""
        return self._connection.post(f"subscriptions/{subscription_id}/change", SubscriptionBody, body)

    def end(self, subscription_id: UUID, ends_on: date | None, *, version: int | None = None) -> SubscriptionBody:
        """Set or take back an end."""
        body = SubscriptionUpdate(ends_on=ends_on, version=version)
        return self._connection.patch(f"subscriptions/{subscription_id}", SubscriptionBody, body)
