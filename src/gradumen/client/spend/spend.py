"""What things cost."""

from gradumen.client.connection import Connection
from gradumen.wire.spend.month_margins import MonthMarginsBody
from gradumen.wire.spend.period_so_far import PeriodSoFarBody


class Spend:
    """Charges of a period, billed or not."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def period_so_far(self, organisation: str, period: str | None = None, *, wait: float = 0) -> PeriodSoFarBody:
        """The lines that the drafts of a period would have, now.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/period-so-far"
        return self._connection.get_current(path, PeriodSoFarBody, wait=wait, period=period)

    def margins(self, organisation: str, period: str | None = None, *, wait: float = 0) -> MonthMarginsBody:
        """What a seller charged in a period beside what it cost; without ``period`` the one under way.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/margins"
        return self._connection.get_current(path, MonthMarginsBody, wait=wait, period=period)
