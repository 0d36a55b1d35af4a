"""Months that are billed."""

import builtins
from collections.abc import Sequence
from datetime import date

from gradumen.client.connection import Connection
from gradumen.wire.billing.billed_months import BilledMonthBody

AT_ONCE = 200
"""Organisations that one call asks for."""


class BilledMonths:
    """What is billed already of what organisations used."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str, since: date, used_by: Sequence[str]) -> builtins.list[BilledMonthBody]:
        """For the months from a day's on, by month and buyer; so many at once as one call takes."""
        path, found = f"organisations/{organisation}/billed-months", dict[tuple[str, str, str], BilledMonthBody]()
        for first in range(0, len(used_by), AT_ONCE):
            some = [*used_by[first : first + AT_ONCE]]
            page = self._connection.page(path, BilledMonthBody, since=since, used_by=some)
            found |= {(each.period, each.buyer, each.currency): each for each in page.items}
        return [found[key] for key in sorted(found)]
