"""Rules that say whose usage is that names no owner, and what is nobody's."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.metering.ownership_rules import (
    OwnershipPreviewBody,
    OwnershipRuleForm,
    OwnershipRulesBody,
    OwnershipRulesPreview,
    OwnershipRulesSet,
    UnownedUsagesBody,
)
from gradumen.wire.metering.resource_owners import ResourceOwnersBody


class OwnershipRules:
    """Rules of sellers over what their feeds send."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str) -> OwnershipRulesBody:
        """The rules of a seller, in their order, with their version."""
        return self._connection.get(f"organisations/{organisation}/ownership-rules", OwnershipRulesBody)

    def set(
        self, organisation: str, rules: Sequence[OwnershipRuleForm], version: int, *, seen: str | None = None
    ) -> OwnershipRulesBody:
        """Set them together, over the version that was read, and as a preview has shown it."""
        body = OwnershipRulesSet(version=version, rules=list(rules), seen=seen)
        return self._connection.put(f"organisations/{organisation}/ownership-rules", OwnershipRulesBody, body)

    def preview(self, organisation: str, rules: Sequence[OwnershipRuleForm]) -> OwnershipPreviewBody:
        """What they would change on what came in."""
        path = f"organisations/{organisation}/ownership-rules/preview"
        return self._connection.post(path, OwnershipPreviewBody, OwnershipRulesPreview(rules=list(rules)))

    def of_resource(self, organisation: str, period: str, resource: str) -> ResourceOwnersBody:
        """Whose a resource of a seller's feeds is in a month of UTC, and by which rule."""
        path = f"organisations/{organisation}/resource-owners"
        return self._connection.get(path, ResourceOwnersBody, period=period, resource=resource)

    def unowned(self, organisation: str, period: str) -> UnownedUsagesBody:
        """What of a seller's feeds is nobody's in a month of UTC."""
        return self._connection.get(f"organisations/{organisation}/unowned-usage", UnownedUsagesBody, period=period)
