"""Rules that say of what kind readings are, and what is of unknown kind."""

from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.metering.kind_rules import (
    KindPreviewBody,
    KindRuleForm,
    KindRulesBody,
    KindRulesPreview,
    KindRulesSet,
    ReadingTrial,
    ReadingTrialBody,
    UnknownKindsBody,
)


class KindRules:
    """Rules of sellers over what their feeds send."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str) -> KindRulesBody:
        """The rules of a seller as they were written, with their version."""
        return self._connection.get(f"organisations/{organisation}/kind-rules", KindRulesBody)

    def set(self, organisation: str, rules: Sequence[KindRuleForm], version: int) -> KindRulesBody:
        """Set them together, over the version that was read."""
        body = KindRulesSet(version=version, rules=list(rules))
        return self._connection.put(f"organisations/{organisation}/kind-rules", KindRulesBody, body)

    def preview(self, organisation: str, rules: Sequence[KindRuleForm]) -> KindPreviewBody:
        """What they would change on what came in."""
        path = f"organisations/{organisation}/kind-rules/preview"
        return self._connection.post(path, KindPreviewBody, KindRulesPreview(rules=list(rules)))

    def try_reading(self, organisation: str, reading: ReadingTrial) -> ReadingTrialBody:
        """What one reading would be and whose; nothing is taken in."""
        return self._connection.post(f"organisations/{organisation}/kind-rules/trial", ReadingTrialBody, reading)

    def unknown(self, organisation: str, period: str) -> UnknownKindsBody:
        """What of a seller's feeds is of unknown kind in a month of UTC."""
        return self._connection.get(f"organisations/{organisation}/unknown-kinds", UnknownKindsBody, period=period)
