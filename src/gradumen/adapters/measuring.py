"""Systems that measure, as the service asks them: series of samples over some time."""

from datetime import datetime
from typing import Protocol

from gradumen.core.metering.pulls import Series
from gradumen.wire.metering.pulls import PullQueryForm

MOST_SERIES = 20_000


class Measuring(Protocol):
    """One of them, reached."""

    def look(self) -> str:
        """What was reached.

        Raises:
            Conflict, Invalid, Unavailable: why it was not.
        """

    def over(self, queried: PullQueryForm, start: datetime, end: datetime, step_seconds: int) -> list[Series]:
        """What a query gives at equal steps from a moment up to another, both included.

        Raises:
            Conflict: it does not take the query, or its answer is none of the interface.
            Unavailable: no answer in time.
        """

    def close(self) -> None:
        """End its connections."""
