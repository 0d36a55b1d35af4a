"""Subscriptions, what falls to them, and what is charged on them by hand."""

from datetime import date
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleBody, AssignmentRuleSet
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import (
    DeviationBody,
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
    SubscriptionDeviate,
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

    def deviate(self, subscription_id: UUID, body: SubscriptionDeviate) -> SubscriptionBody:
        """Give a subscription a rate card, allowances or levels of its own, on one seller's link."""
        return self._connection.post(f"subscriptions/{subscription_id}/deviate", SubscriptionBody, body)

    def deviations(self, seller: str) -> list[DeviationBody]:
        """Where what a seller sells differs from its plans and rules."""
        return self._connection.page(f"organisations/{seller}/deviations", DeviationBody).items

    def list(self, organisation: str, *, below: bool = False) -> list[SubscriptionBody]:
        """The subscriptions of an organisation, with ``below`` also of all under it."""
        path = f"organisations/{organisation}/subscriptions"
        return self._connection.page(path, SubscriptionBody, below=below).items


class AssignmentRules:
    """Which usage of an organisation falls to which of its subscriptions."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def set(self, organisation: str, slug: str, body: AssignmentRuleSet) -> AssignmentRuleBody:
        """Make a rule, or write one anew."""
        path = f"organisations/{organisation}/assignment-rules/{slug}"
        return self._connection.put(path, AssignmentRuleBody, body)

    def delete(self, organisation: str, slug: str) -> None:
        """Take a rule away, as if it had never been."""
        self._connection.delete(f"organisations/{organisation}/assignment-rules/{slug}")

    def list(self, organisation: str) -> list[AssignmentRuleBody]:
        """The rules of an organisation, in the order in which they are looked at."""
        return self._connection.page(f"organisations/{organisation}/assignment-rules", AssignmentRuleBody).items


class OneOffCharges:
    """Amounts that a seller charges by hand."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def enter(self, body: OneOffChargeCreate, *, key: str | None = None) -> OneOffChargeBody:
        """Charge an amount by hand."""
        return self._connection.post("one-off-charges", OneOffChargeBody, body, key=key)

    def withdraw(self, charge_id: UUID) -> OneOffChargeBody:
        """Take a charge back."""
        return self._connection.post(f"one-off-charges/{charge_id}/withdraw", OneOffChargeBody)

    def list(self, seller: str) -> list[OneOffChargeBody]:
        """What a seller has charged by hand, the latest first."""
        return self._connection.page(f"organisations/{seller}/one-off-charges", OneOffChargeBody).items
