"""What is about to end or to begin to cost, and when people are told of it."""

from datetime import date, timedelta
from enum import StrEnum


class Ending(StrEnum):
    """What comes to an end."""

    TRIAL = "trial"
    SUBSCRIPTION = "subscription"
    STATE = "state"
    """An organisation will be in another state."""


AHEAD = (14, 3)
"""So many days before people are told."""


def due(day: date, since: date, today: date) -> int | None:
    """Which telling of something that happens on a day is due: the latest that has come; None: none.

    What was made later than its telling would have been is told with the next: who begins a trial of a week reads at
    once how long it lasts.

    Args:
        since: from when on it stands.

    >>> ends, began = date(2026, 12, 20), date(2026, 11, 1)
    >>> [due(ends, began, date(2026, 12, day)) for day in (5, 6, 16, 17, 20)]
    [None, 14, 14, 3, None]
    >>> due(ends, date(2026, 12, 13), date(2026, 12, 14)), due(ends, date(2026, 12, 13), date(2026, 12, 18))
    (None, 3)
    """
    if today >= day:
        return None
    come = [days for days in AHEAD if since < day - timedelta(days=days) <= today]
    return min(come, default=None)
