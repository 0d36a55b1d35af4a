"""Spend of 1,000 organisations over 14 months, and the pages that read the month, against the bare read of the answer.

The floor of a route is the bare read of what answers it, plus a route that only authenticates.
"""

import statistics
import time
from collections.abc import Callable, Iterator
from datetime import date
from functools import partial
from pathlib import Path
from typing import Any

import large
import polars as pl
from api import _times

from gradumen.client.connection import Connection
from gradumen.store.database_accounts import administrator
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.spend.link_sums import refresh_columns
from gradumen.wire.clock import ClockBody

MONTHS, CALLS = 14, 12
FIRST, END = date(2025, 8, 1), date(2026, 10, 1)


def run(rows: int) -> dict[str, Any]:
    """Median and 95th percentile of each, and its ratio to its floor."""
    with large.made(rows) as made:
        _rate(made)
        _earlier(made)
        folder = made.socket.parents[1] / "columns"
        connections = {
            "tarnwick": _connection(made, "mara@tarnwick.example"),
            "dealer-00": _connection(made, made.signers["dealer-00"]),
        }
        columns = _make_columns(made, folder)
        floor = statistics.median(_times(lambda: connections["tarnwick"].get("clock", ClockBody), CALLS))
        files = list(folder.rglob("*.arrow"))
        result: dict[str, Any] = {
            "rows": made.rows, "months": MONTHS, "files": len(files), "floor_seconds": floor,
            "columns_made_seconds": columns,
        }  # fmt: skip
        with large.connected(made.socket) as bare:
            for slug, connection in connections.items():
                asked = [*_spend(connection, slug, folder, bare), *_month(connection, slug, folder, bare)]
                for name, call, least in asked:
                    taken, base = _times(call, CALLS), floor + statistics.median(_times(least, 5))
                    result |= {
                        f"{slug}_{name}_seconds": statistics.median(taken),
                        f"{slug}_{name}_p95_seconds": statistics.quantiles(taken, n=20)[-1],
                        f"{slug}_{name}_ratio": statistics.median(taken) / base,
                    }
        return result


Timed = tuple[str, Callable[[], object], Callable[[], object]]
"""A name, a call, and the bare read of what answers it."""
BY_SQL = {
    "period-so-far": "SELECT c.pair_id, charge_position, project_number, day, SUM(quantity), SUM(amount) FROM current_parts c "
    "JOIN pairs p ON p.id = c.pair_id AND p.generation = c.generation AND p.seller_id = %s AND p.period = %s "
    "GROUP BY c.pair_id, charge_position, project_number, day",
    "usage": "SELECT meter_id, SUM(total) FROM usage_days u JOIN projects p ON p.number = u.project_number "
    "WHERE day BETWEEN %s AND %s GROUP BY meter_id",
}


def _bare(paths: list[Path], keys: list[str]) -> int:
    """Files read and added up with nothing else."""
    return pl.scan_ipc(paths).group_by(keys).agg(pl.col("amount").sum()).collect(engine="streaming").height


def _files(folder: Path, seller: str, suffix: str, month: str = "") -> list[Path]:
    whole = folder.rglob(f"months/{seller}-{month}*.arrow")
    return [path for path in whole if path.name.count(".") == suffix.count(".") and path.name.endswith(suffix)]


def _seller(bare: Any, slug: str) -> str:
    with bare.cursor() as cursor:
        cursor.execute("SELECT id FROM organisations WHERE slug = %s", (slug,))
        (found,) = cursor.fetchone()
        return str(found)


def _range(organisation: str) -> dict[str, str]:
    return {"organisation": organisation, "from": FIRST.isoformat(), "to": END.isoformat()}


def _connection(made: large.Large, email: str) -> Connection:
    connection: Connection = made.history.signed_in(email).organisations._connection
    return connection


def _spend(connection: Connection, slug: str, folder: Path, bare: Any) -> Iterator[Timed]:
    """Any two dimensions over all months; what asks for neither days nor resources is read from files by month."""
    seller = _seller(bare, slug)
    for by, column, suffix in (
        (["service", "month"], "service", ".month.arrow"),
        (["buyer", "month"], "organisation", ".month.arrow"),
        (["service", "meter"], "meter", ".month.arrow"),
        (["day"], "day", ".services.arrow"),
        (["resource", "month"], "resource", ".resources.arrow"),
    ):
        params = {**_range(slug), "by": by}
        yield (
            "_".join(by),
            partial(connection.send, "GET", "spend", params=params),
            partial(_bare, _files(folder, seller, suffix), [column]),
        )


def _month(connection: Connection, slug: str, folder: Path, bare: Any) -> Iterator[Timed]:
    """The pages of the month."""
    seller, last = _seller(bare, slug), date(2026, 9, large.DAYS)

    def read(statement: str, values: tuple[object, ...]) -> object:
        with bare.cursor() as cursor:
            cursor.execute(statement, values)
            return cursor.fetchall()

    floors: dict[str, Callable[[], object]] = {
        "margins": partial(_bare, _files(folder, seller, ".month.arrow", large.PERIOD), ["organisation", "service"]),
        "period-so-far": partial(read, BY_SQL["period-so-far"], (seller, large.PERIOD)),
        "usage": partial(read, BY_SQL["usage"], (large.FIRST, last)),
    }
    for page, least in floors.items():
        path = f"organisations/{slug}/{page}"
        yield page.replace("-", "_"), partial(connection.send, "GET", path, params={"period": large.PERIOD}), least


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
    engine = make_engine(f"mysql://{administrator()}@localhost/gradumen?unix_socket={made.socket}")
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
