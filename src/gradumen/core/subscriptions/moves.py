"""Moves of organisations under other sellers: their states, and from which moment one holds."""

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from enum import StrEnum
from zoneinfo import ZoneInfo

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.periods import beyond_hour, day_start

AHEAD = timedelta(days=10 * 366)
"""How far ahead a move is planned at most."""


class MoveState(StrEnum):
    """How far a move is."""

    PLANNED = "planned"
    DONE = "done"
    WITHDRAWN = "withdrawn"


def move_start(day: date, today: date, zone: ZoneInfo) -> datetime:
    """When a move holds from: midnight of its day in the zone of the nearest seller that both sides have.

    Raises:
        Invalid: the day is over, or too far ahead: what was charged and shown until now stands.

    >>> move_start(date(2026, 12, 1), date(2026, 11, 27), ZoneInfo("Europe/Brussels"))
    datetime.datetime(2026, 11, 30, 23, 0, tzinfo=datetime.timezone.utc)
    """
    if not today < day <= today + AHEAD:
        raise Invalid(
            f"a move begins after today, {today}, and at most ten years ahead; got {day}", field="starts_on", value=day
        )
    return day_start(day, zone)


def check_grids(zones: Sequence[ZoneInfo]) -> None:
    """Check that the hours of all sellers concerned begin together, so that a move divides none of them.

    Raises:
        Conflict: they do not.

    >>> check_grids([ZoneInfo("Europe/Brussels"), ZoneInfo("UTC")])
    """
    if len({beyond_hour(zone) for zone in zones}) > 1:
        names = ", ".join(sorted({zone.key for zone in zones}))
        raise Conflict(
            f"hours begin at other minutes in {names}, so no moment of a move begins an hour in all of them; "
            "subscribe it anew under the other seller instead",
            field="to",
        )


def nearest_common(chain: Sequence[object], other: Sequence[object]) -> object:
    """The first of a chain that another has too; both end with the same.

    >>> nearest_common(["pebble", "bluefern", "tarnwick"], ["oxbow", "tarnwick"])
    'tarnwick'
    """
    return next(each for each in chain if each in other)
