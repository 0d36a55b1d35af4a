"""The close of periods."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.client.tasks import Tasks
from gradumen.wire.billing.bill_runs import BillRunBody, BillRunCreate
from gradumen.wire.billing.rating_differences import RatingDifferenceBody


class BillRuns:
    """The close of periods."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def start(
        self, organisation: str, period: str, *, reason: str | None = None, key: str | None = None
    ) -> BillRunBody:
        """Ask for the drafts of a closed period.

        Args:
            reason: why it is closed though something of it may still come by feeds.
        """
        body = BillRunCreate(organisation=organisation, period=period, reason=reason)
        return self._connection.post("bill-runs", BillRunBody, body, key=key)

    def differences(self, organisation: str) -> list[RatingDifferenceBody]:
        """Issued months that today's rules price differently; nothing is billed by asking."""
        path = f"organisations/{organisation}/rating-differences"
        return self._connection.page(path, RatingDifferenceBody).items

    def list(self, organisation: str) -> list[BillRunBody]:
        """A seller's bill runs, newest first."""
        return self._connection.page("bill-runs", BillRunBody, organisation=organisation).items

    def get(self, run_id: UUID) -> BillRunBody:
        """One bill run."""
        return self._connection.get(f"bill-runs/{run_id}", BillRunBody)

    def wait(self, run_id: UUID, *, seconds: float = 600) -> BillRunBody:
        """Wait until a run, which is a task, has ended, or the time is over."""
        Tasks(self._connection).follow(run_id, seconds=seconds)
        return self.get(run_id)
