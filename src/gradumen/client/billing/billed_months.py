"""Months that are billed."""

import builtins
from collections.abc import Sequence
from datetime import date

from gradumen.client.connection import Connection
from gradumen.wire.billing.billed_months import BilledMonthBody


class BilledMonths:
    """What is billed already of what organisations used."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, since: date, used_by: Sequence[str]) -> builtins.list[BilledMonthBody]:
        """For the months from a day's on, by month and buyer."""
        path = f"organisations/{organisation}/billed-months"
        return self._connection.page(path, BilledMonthBody, since=since, used_by=[*used_by]).items
