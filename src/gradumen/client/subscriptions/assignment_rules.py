"""Which usage falls to which subscription."""

from gradumen.client.connection import Connection
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleBody, AssignmentRuleSet


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
