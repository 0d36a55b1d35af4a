"""Rules that say whose usage is, tried on all that came in."""

from collections.abc import Callable, Sequence
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.client.tasks import Tasks
from gradumen.wire.billing.ownership_trials import OwnershipTrialAsked, OwnershipTrialBody
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.tasks import TaskBody


class OwnershipTrials:
    """Trials of rules, which change nothing."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def ask(
        self, organisation: str, rules: Sequence[OwnershipRuleForm], *, key: str | None = None
    ) -> OwnershipTrialBody:
        """Ask what a seller's rules would move, and what its customers' months would come to."""
        body = OwnershipTrialAsked(rules=list(rules))
        path = f"organisations/{organisation}/ownership-trials"
        return self._connection.post(path, OwnershipTrialBody, body, key=key)

    def wait(
        self, trial_id: UUID, *, seconds: float = 3600, tell: Callable[[TaskBody], None] | None = None
    ) -> OwnershipTrialBody:
        """Wait until one, which is a task, has ended, or the time is over."""
        Tasks(self._connection).follow(trial_id, seconds=seconds, tell=tell)
        return self.get(trial_id)

    def get(self, trial_id: UUID) -> OwnershipTrialBody:
        """One, with what came of it when it is done."""
        return self._connection.get(f"ownership-trials/{trial_id}", OwnershipTrialBody)

    def list(self, organisation: str, *, limit: int = 50) -> list[OwnershipTrialBody]:
        """What was tried of a seller, newest first, without what came of it."""
        path = f"organisations/{organisation}/ownership-trials"
        return self._connection.page(path, OwnershipTrialBody, limit=limit).items
