"""The close of a month of 1,000 organisations, against reading its usage and writing its result by the bare driver."""

import multiprocessing
import os
import threading
import time
from collections import defaultdict
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any
from uuid import UUID

import large
import MySQLdb.connections
import psutil

from gradumen.core.exact import add

PROCESSES = 2
"""That do tasks, and that read for the floor; a large bill run is divided among as many besides."""
RESULT = ("current_charges", "current_parts", "charges", "charge_parts", "invoice_lines")
"""Tables that a close writes."""


def run(rows: int) -> dict[str, Any]:
    """A close with nothing current before, then, its drafts removed, one with everything current, and the same again."""
    os.environ["GRADUMEN_WORKER_PROCESSES"] = str(PROCESSES)
    with large.made(rows) as made, large.connected(made.socket) as connection:
        own = made.history.mara
        seconds, pss = _watched(lambda: _close(made))
        result: dict[str, Any] = {
            "rows": rows, "organisations": made.tenants + len(made.signers), "seconds": seconds,
            "peak_pss_mib": pss / 2**20, **_counts(connection),
        }  # fmt: skip
        _remove_drafts(connection)
        current, _ = _watched(lambda: _close(made))
        again, _ = _watched(lambda: _close(made))
        sums = _sums(made)
        reading = _in_processes(made, list(made.signers), _read_usage)
        writing = _write(connection, RESULT)
        copying = _write(connection, RESULT[2:]) + _timed(lambda: _read(connection, RESULT[:2]))
        own.close()
    return (
        result
        | sums
        | {
            "floor_reading_seconds": reading,
            "floor_writing_seconds": writing,
            "ratio": seconds / (reading + writing),
            "current_seconds": current,
            "current_floor_seconds": copying,
            "current_ratio": current / copying,
            "unchanged_seconds": again,
        }
    )


def _close(made: large.Large) -> float:
    """Every seller's bill run, all at once; gives how long it took until the last was done."""
    began = time.perf_counter()
    runs: list[tuple[str, UUID]] = []
    for seller, signer in made.signers.items():
        runs.append((signer, made.history.signed_in(signer).bill_runs.start(seller, large.PERIOD).id))
    for signer, run in runs:
        done = made.history.signed_in(signer).bill_runs.wait(run, seconds=3600)
        if done.state != "done":
            raise SystemExit(f"a bill run is {done.state}: {done.problem}")
    return time.perf_counter() - began


def _remove_drafts(connection: MySQLdb.connections.Connection) -> None:
    """All of them, so that the next run writes each anew."""
    with connection.cursor() as cursor:
        for table in ("drafted_pairs", "invoice_lines", "invoice_taxes", "charge_parts", "charges", "invoices"):
            cursor.execute(f"DELETE FROM {table}")
    connection.commit()


def _sums(made: large.Large) -> dict[str, int]:
    """How many sums of a seller's links there are, by currency, and how many of them documents and spend do not share.

    `gradumen spend compare` says the same of each link by itself.
    """
    compared = differing = 0
    month = {"first": large.FIRST, "end": large.FIRST.replace(month=large.FIRST.month + 1)}
    for seller, signer in made.signers.items():
        client = made.history.signed_in(signer)
        period: dict[str, list[Decimal]] = defaultdict(list)
        for link in client.spend.period_so_far(seller, large.PERIOD).links:
            if link.seller == seller != link.buyer:
                period[link.currency].append(link.net)
        spent = {each.currency: each for each in client.spend.show(seller, side="sold", **month).currencies}
        for currency in period.keys() | spent.keys():
            each, so_far = spent.get(currency), add(period[currency])
            documents = add([each.billed or Decimal(0), each.on_drafts or Decimal(0)]) if each else None
            compared += 1
            differing += each is None or not each.total.amount == so_far == documents
    return {"sums": compared, "differing": differing}


def _watched(work: Callable[[], float]) -> tuple[float, int]:
    """What the work gives, and the most memory (PSS) of all our processes but the database meanwhile."""
    most, over = 0, threading.Event()

    def watch() -> None:
        nonlocal most
        while not over.wait(0.2):
            most = max(most, sum(_pss(process) for process in _ours()))

    thread = threading.Thread(target=watch)
    thread.start()
    try:
        given = work()
    finally:
        over.set()
        thread.join()
    return given, most


def _ours() -> list[psutil.Process]:
    return [each for each in psutil.Process().children(recursive=True) if "mariadb" not in each.name()]


def _pss(process: psutil.Process) -> int:
    try:
        return int(process.memory_full_info().pss)
    except psutil.Error:
        return 0


def _counts(connection: MySQLdb.connections.Connection) -> dict[str, int]:
    found = {}
    with connection.cursor() as cursor:
        for table in RESULT:
            cursor.execute(f"SELECT COUNT(*) FROM {table}")
            (found[table],) = cursor.fetchone() or (0,)
    connection.commit()
    return found


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _in_processes(made: large.Large, sellers: list[str], work: Callable[[Path, list[str]], None]) -> float:
    context = multiprocessing.get_context("fork")
    parts = [sellers[number::PROCESSES] for number in range(PROCESSES)]
    workers = [context.Process(target=work, args=(made.socket, part)) for part in parts]
    began = time.perf_counter()
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    return time.perf_counter() - began


def _read_usage(socket: Path, sellers: list[str]) -> None:
    """The packed days of all below each seller: once for each link."""
    with large.connected(socket) as connection, connection.cursor() as cursor:
        for seller in sellers:
            cursor.execute(
                "WITH RECURSIVE below AS (SELECT id FROM organisations WHERE slug = %s UNION ALL SELECT e.child_id "
                "FROM parent_edges e JOIN below b ON e.parent_id = b.id) "
                "SELECT p.number FROM projects p JOIN below b ON b.id = p.organisation_id",
                (seller,),
            )
            numbers = [number for (number,) in cursor.fetchall()]
            marks = ", ".join(["%s"] * len(numbers))
            cursor.execute(
                "SELECT project_number, meter_id, DATEDIFF(day, '1970-01-01'), resource_id, attribute_set_id, hours, "
                f"slots FROM usage_days WHERE project_number IN ({marks}) AND day BETWEEN %s AND %s",
                (*numbers, large.FIRST, large.FIRST.replace(day=large.DAYS)),
            )
            cursor.fetchall()


def _read(connection: MySQLdb.connections.Connection, tables: tuple[str, ...]) -> None:
    with connection.cursor() as cursor:
        for table in tables:
            cursor.execute(f"SELECT * FROM {table}")
            cursor.fetchall()


def _write(connection: MySQLdb.connections.Connection, tables: tuple[str, ...]) -> float:
    """LOAD DATA of the rows that are in tables into empty ones of the same shape; writing the files is not counted."""
    taken = 0.0
    with connection.cursor() as cursor:
        cursor.execute("SET FOREIGN_KEY_CHECKS = 0")
        for table in tables:
            cursor.execute(f"SELECT * FROM {table}")
            file = Path(f"/var/tmp/gradumen-bench-{table}.tsv")
            with file.open("w") as out:
                for row in cursor.fetchall():
                    out.write("\t".join("\\N" if each is None else _field(each) for each in row) + "\n")
            cursor.execute(f"CREATE OR REPLACE TABLE floor_{table} LIKE {table}")
            began = time.perf_counter()
            cursor.execute(f"LOAD DATA LOCAL INFILE '{file}' INTO TABLE floor_{table} CHARACTER SET utf8mb4")
            connection.commit()
            taken += time.perf_counter() - began
            cursor.execute(f"DROP TABLE floor_{table}")
            file.unlink()
    return taken


def _field(value: object) -> str:
    return str(value).replace("\\", "\\\\").replace("\t", "\\t").replace("\n", "\\n")
