"""What things cost."""

from gradumen.client.connection import Connection
from gradumen.wire.spend.month_margins import MonthMarginsBody
from gradumen.wire.spend.period_so_far import PeriodSoFarBody


class Spend:
    """Charges of a period, billed or not."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def period_so_far(self, organisation: str, period: str | None = None) -> PeriodSoFarBody:
        """The lines that the drafts of a period would have, now."""
        return self._connection.get(f"organisations/{organisation}/period-so-far", PeriodSoFarBody, period=period)

    def margins(self, organisation: str, period: str | None = None) -> MonthMarginsBody:
        """What a seller charged in a period beside what it cost; without ``period`` the one under way."""
        return self._connection.get(f"organisations/{organisation}/margins", MonthMarginsBody, period=period)
