"""Spend of 1,000 organisations over 14 months, and the pages that read the month, against the bare read of the answer.

The floor of a route is the bare read of what answers it, plus a route that only authenticates.
"""

import statistics
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import large
import polars as pl
from api import _times

from gradumen.client.connection import Connection
from gradumen.run.accounts import administrator
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.spend.spend_rows import refresh_columns
from gradumen.wire.clock import ClockBody

MONTHS, CALLS = 14, 20
FIRST, END = date(2025, 8, 1), date(2026, 10, 1)


def run(rows: int) -> dict[str, Any]:
    """Median and 95th percentile of each, and its ratio to its floor."""
    with large.made(rows) as made:
        _rate(made)
        _earlier(made)
        folder = made.socket.parents[1] / "columns"
        provider = _connection(made, "mara@tarnwick.example")
        reseller = _connection(made, made.signers["dealer-00"])
        columns = _make_columns(made, folder)
        routes = {**_spend(provider, "tarnwick"), **_spend(reseller, "dealer-00"), **_month(provider, reseller)}
        floor = statistics.median(_times(lambda: provider.get("clock", ClockBody), CALLS))
        reads = {keys: statistics.median(_times(lambda keys=keys: _bare(folder, keys), 5)) for keys in BARE}
        result: dict[str, Any] = {
            "rows": rows, "months": MONTHS, "files": len(list(folder.rglob("*.arrow"))), "floor_seconds": floor,
            "columns_made_seconds": columns,
        }  # fmt: skip
        for (name, keys), call in routes.items():
            taken = _times(call, CALLS)
            base = floor + (reads[keys] if keys else 0)
            result |= {
                f"{name}_seconds": statistics.median(taken),
                f"{name}_p95_seconds": statistics.quantiles(taken, n=20)[-1],
                f"{name}_ratio": statistics.median(taken) / base,
            }
        return result


BARE = (("day",), ("service", "day"), ("resource", "day"), ("organisation", "day"))
"""Columns of the files that a sum is by."""


def _bare(folder: Path, keys: tuple[str, ...]) -> int:
    """The same files read and added up with nothing else."""
    files = pl.scan_ipc([*folder.rglob("*.arrow")])
    amount = pl.col("amount").sum()
    return files.group_by(keys).agg(amount).collect(engine="streaming").height


def _range(organisation: str) -> dict[str, str]:
    return {"organisation": organisation, "from": FIRST.isoformat(), "to": END.isoformat()}


def _connection(made: large.Large, email: str) -> Connection:
    connection: Connection = made.history.signed_in(email).organisations._connection
    return connection


Routes = dict[tuple[str, tuple[str, ...] | None], Callable[[], object]]


def _spend(connection: Connection, organisation: str) -> Routes:
    """Any two dimensions over all months."""
    asked = {
        "service_month": (["service", "month"], ("service", "day")),
        "buyer_month": (["buyer", "month"], ("organisation", "day")),
        "day": (["day"], ("day",)),
        "service_meter": (["service", "meter"], ("service", "day")),
        "resource_month": (["resource", "month"], ("resource", "day")),
    }

    def call(by: list[str]) -> Callable[[], object]:
        return lambda: connection.send("GET", "spend", params={**_range(organisation), "by": by})

    whose = "provider" if organisation == "tarnwick" else "reseller"
    # The bare read is of all files, which are the provider's; a reseller's are a few of them.
    return {(f"{whose}_{name}", keys if whose == "provider" else None): call(by) for name, (by, keys) in asked.items()}


def _month(provider: Connection, reseller: Connection) -> Routes:
    """The pages of the month."""

    def call(connection: Connection, path: str) -> Callable[[], object]:
        return lambda: connection.send("GET", path, params={"period": large.PERIOD})

    return {
        (f"{name}_{page}", None): call(connection, f"organisations/{slug}/{path}")
        for name, slug, connection in (("provider", "tarnwick", provider), ("reseller", "dealer-00", reseller))
        for page, path in (("so_far", "period-so-far"), ("margins", "margins"), ("usage", "usage"))
    }


def _rate(made: large.Large) -> None:
    """Let the worker rate the month."""
    with large.connected(made.socket) as connection, connection.cursor() as cursor:
        cursor.execute("UPDATE pairs SET not_before = NULL")
        connection.commit()
        while True:
            cursor.execute("SELECT COUNT(*) FROM pairs WHERE stale_since IS NOT NULL")
            (left,) = cursor.fetchone() or (0,)
            connection.commit()
            if not left:
                return
            time.sleep(1)


def _make_columns(made: large.Large, folder: Path) -> float:
    """Make the files of all months, as a worker does after a rating; gives the seconds."""
    engine = make_engine(f"mysql+pymysql://{administrator()}@localhost/gradumen?unix_socket={made.socket}")
    uow = UnitOfWork(engine, folder)
    with engine.connect() as connection:
        pairs = [pair for (pair,) in connection.exec_driver_sql("SELECT id FROM pairs ORDER BY id")]
    began = time.perf_counter()
    for first in range(0, len(pairs), 200):
        refresh_columns(uow, pairs=pairs[first : first + 200])
    engine.dispose()
    return time.perf_counter() - began


def _earlier(made: large.Large) -> None:
    """The same charges in each of the months before."""
    with large.connected(made.socket) as connection, connection.cursor() as cursor:
        cursor.execute("SET FOREIGN_KEY_CHECKS = 0")
        cursor.execute("DELETE FROM pairs WHERE period < %s", (large.PERIOD,))
        columns = {table: _columns(cursor, table) for table in ("pairs", "current_charges", "current_parts")}
        for back in range(1, MONTHS):
            month = large.FIRST.month - back
            period = f"{large.FIRST.year + (month - 1) // 12}-{(month - 1) % 12 + 1:02d}"
            cursor.execute(
                f"INSERT INTO pairs ({', '.join(columns['pairs'])}) SELECT "
                f"{', '.join('%s' if name == '`period`' else name for name in columns['pairs'])} "
                "FROM pairs WHERE period = %s",
                (period, large.PERIOD),
            )
            for table in ("current_charges", "current_parts"):
                moved = {"pair_id": "n.id"}
                moved |= {f"`{name}`": f"DATE_SUB(c.{name}, INTERVAL {back} MONTH)" for name in TIMES}
                names = ["pair_id", *columns[table]]
                cursor.execute(
                    f"INSERT INTO {table} ({', '.join(names)}) "
                    f"SELECT {', '.join(moved.get(name, f'c.{name}') for name in names)} FROM {table} c "
                    "JOIN pairs p ON p.id = c.pair_id AND p.generation = c.generation AND p.period = %s "
                    "JOIN pairs n ON n.seller_id = p.seller_id AND n.buyer_id = p.buyer_id AND n.period = %s",
                    (large.PERIOD, period),
                )
            connection.commit()


TIMES = ("day", "service_start", "service_end")


def _columns(cursor: Any, table: str) -> list[str]:
    """The columns of a table, but those that number its rows and `pair_id`."""
    cursor.execute(f"SHOW COLUMNS FROM {table}")
    names = [name for name, *_, extra in cursor.fetchall() if extra != "auto_increment" and name != "pair_id"]
    return [f"`{name}`" for name in names]
