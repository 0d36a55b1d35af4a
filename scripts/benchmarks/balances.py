"""Usage by two dimensions and the balance of what came in by all feeds, of a month of 1,000 organisations.

Against the bare sums over the rows that answer, and a route that only authenticates.
"""

import statistics
from functools import partial
from typing import Any

import large
from api import _times
from spend import _rate

CALLS = 5
USAGE = (
    "SELECT project_number, attribute_set_id, meter_id, SUM(total) FROM usage_days "
    "WHERE day >= '2026-08-31' AND day <= '2026-10-01' GROUP BY 1, 2, 3"
)
READINGS = (
    "SELECT meter_id, COUNT(*), SUM(quantity) FROM readings "
    "WHERE start_at >= '2026-08-31 23:00:00' AND start_at < '2026-09-30 23:00:00' GROUP BY 1"
)
FILLED = (
    "INSERT INTO readings (resource_id, meter_id, start_at, delivery_id, position, end_at, origin_id, "
    "attribute_set_id, event_id, sequence, quantity) "
    "SELECT u.resource_id, u.meter_id, u.day + INTERVAL h.seq HOUR, %s, 1, u.day + INTERVAL h.seq + 1 HOUR, %s, "
    "u.attribute_set_id, CONCAT(u.resource_id, '-', u.day, '-', h.seq), 0, "
    "%s * (1 + ((u.resource_id - %s) * 7 + (DAY(u.day) - 1) * 3 + h.seq) %% 32) "
    "FROM usage_days u JOIN seq_0_to_23 h WHERE u.meter_id = %s AND u.attribute_set_id = %s AND u.resource_id >= %s "
    "ORDER BY 1, 2, 3"
)
"""Readings of packed days as `large._usage` makes these."""


def run(rows: int) -> dict[str, Any]:
    """Median seconds of each, and its ratio to its floor; and how many meters' sums do not close."""
    with large.made(rows) as made:
        _rate(made)
        mara = made.history.mara
        floor = statistics.median(_times(mara.clock.read, CALLS))
        with large.connected(made.socket) as connection, connection.cursor() as cursor:
            readings = _readings(cursor)
            connection.commit()
            result: dict[str, Any] = {"rows": made.rows, "readings": readings, "floor_seconds": floor}
            for name, ask, statements in (
                ("usage", partial(mara.usage.sum, "tarnwick", large.PERIOD, by=("project", "region")), (USAGE,)),
                ("balance", partial(mara.feed_balances.get, "tarnwick", large.PERIOD), (READINGS, USAGE)),
            ):
                taken = _times(ask, CALLS)
                bare = sum(statistics.median(_times(partial(cursor.execute, each), 3)) for each in statements)
                result |= {
                    f"{name}_seconds": statistics.median(taken),
                    f"{name}_floor_seconds": bare + floor,
                    f"{name}_ratio": statistics.median(taken) / (bare + floor),
                }
        [balance] = [each for each in mara.feed_balances.get("tarnwick", large.PERIOD).items if each.feed == large.FEED]
        sums = [each for each in balance.meters if each.difference is not None]
        return result | {"sums": len(sums), "differing": sum(bool(each.difference) for each in sums)}


def _readings(cursor: Any) -> int:
    """An hourly reading of each of the packed hours; gives how many."""
    cursor.execute("SELECT slug, id, combine FROM meters")
    meters = {slug: rest for slug, *rest in cursor.fetchall()}
    cursor.execute(
        "SELECT z.name, r.attribute_set_id, r.origin_id, r.delivery_id FROM readings r "
        "JOIN resources z ON z.id = r.resource_id WHERE z.name LIKE 'first-%'"
    )
    firsts = {int(name.rpartition("-")[2]): rest for name, *rest in cursor.fetchall()}
    cursor.execute("SELECT MIN(id) FROM resources WHERE name LIKE 'large-%'")
    (first,) = cursor.fetchone()
    count = 0
    for kind, (meter, _, _, hour) in enumerate(large.METERS):
        number, combine = meters[meter]
        one = hour // 10**6 // (3600 if combine == "level" else 1)
        attributes, origin, delivery = firsts[kind]
        count += cursor.execute(FILLED, (delivery, origin, one, first, number, attributes, first))
    return count
