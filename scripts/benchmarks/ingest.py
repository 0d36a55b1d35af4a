"""Readings over HTTP by two connections, against the bare driver writing the same rows into the same tables.

Twice: by multi-row inserts, which the ratio is of, and by LOAD DATA, which is the quickest way there is.
"""

import json
import multiprocessing
import os
import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import MySQLdb
import psutil

from gradumen.client import Client
from gradumen.client.metering.readings import BATCH, reading_event
from gradumen.core.metering.readings import read_reading, reading_key
from gradumen.demo.__main__ import Service
from gradumen.demo.history import Calendar, History
from gradumen.demo.scenario import PASSWORD
from gradumen.store import schema
from gradumen.store.database_accounts import administrator
from gradumen.store.unit_of_work import make_engine

CONNECTIONS, BATCH_ROWS = 2, 2000
RUNS, MANY = 3, 500_000
"""From so many rows on there is one run: it takes long enough to tell."""
FEED = "tarnwick/north-fell"
OWNERS = ("saltmarsh/booking", "quillstone/archive", "gannet/tracking", "kestrel-row/edit")


Making = Callable[[int, int], list[dict[str, Any]]]
"""The events of so many rows, of a run."""


def make_events(rows: int, run: int) -> list[dict[str, Any]]:
    """Hourly samples of many machines, in the order of time."""
    start = datetime(2026, 9, 1, tzinfo=UTC)
    found = []
    for n in range(rows):
        hour, machine = divmod(n, max(1, -(-rows // 600)))
        begin = start + timedelta(hours=hour)
        data = {
            "owner": OWNERS[machine % len(OWNERS)], "resource": f"machine-{run}-{machine}", "meter": "compute/vcpu",
            "quantity": str(1 + n % 32), "unit": "vCPU", "start": begin.isoformat(),
            "end": (begin + timedelta(hours=1)).isoformat(), "attributes": {"site": "north-fell", "size": "medium"},
        }  # fmt: skip
        found.append(reading_event("/sites/north-fell", f"run-{run}-{n}", data))
    return found


@contextmanager
def running() -> Iterator[tuple[Service, History]]:
    """A service with the demo's organisations and catalogue, durable as in production."""
    with tempfile.TemporaryDirectory(prefix="gradumen-bench-", dir="/var/tmp", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        service = Service(Path(folder), 18_490)
        try:
            service.start()
            history = History(service.url, Calendar(datetime(2026, 10, 20, tzinfo=UTC), 1), lambda _: None)
            history.set_up((service.data / "set-up-code").read_text().strip())
            history.organisations()
            history.catalogue()
            history.mara.clock.set(datetime(2026, 10, 20, tzinfo=UTC), held=True)
            yield service, history
        finally:
            service.stop()


def run(rows: int, make: Making = make_events, prepare: Callable[[History], None] | None = None) -> dict[str, Any]:
    """Medians of three, or what one of many rows takes; each run sends rows never sent before, and then the same again.

    Args:
        make: the events of a run.
        prepare: sets up what they are read by.
    """
    times: dict[str, list[float]] = {name: [] for name in ("client", "sent", "settled", "again", "inserts", "loads")}
    with running() as (service, history):
        if prepare:
            prepare(history)
        socket = service.data / "database" / "db.sock"
        for number in range(RUNS if rows < MANY else 1):
            began = time.perf_counter()
            events = make(rows, number)
            bodies = [json.dumps(events[at : at + BATCH_ROWS]).encode() for at in range(0, rows, BATCH_ROWS)]
            times["client"].append(time.perf_counter() - began)
            senders = [sender(service.url, bodies[part::CONNECTIONS]) for part in range(CONNECTIONS)]
            times["sent"].append(at_once(senders))
            began = time.perf_counter()
            settle(history)
            times["settled"].append(time.perf_counter() - began)
            again = [sender(service.url, bodies[part::CONNECTIONS], known=True) for part in range(CONNECTIONS)]
            times["again"].append(at_once(again))
            rows_of = [_rows(place, event) for place, event in enumerate(events)]
            times["inserts"].append(_floor(socket, rows_of, _insert))
            times["loads"].append(_floor(socket, rows_of, _load))
        peak = psutil.Process(service.process.pid if service.process else os.getpid()).memory_info().rss
    medians = {name: statistics.median(each) for name, each in times.items()}
    return {
        "rows": rows,
        "seconds": medians["sent"],
        "floor_seconds": medians["inserts"],
        "ratio": medians["sent"] / medians["inserts"],
        "rows_per_second": rows / medians["sent"],
        "peak_rss_mib": peak / 2**20,
        "load_floor_seconds": medians["loads"],
        "load_ratio": medians["sent"] / medians["loads"],
        "usage_current_after_seconds": medians["settled"],
        "usage_current_share": medians["settled"] / medians["sent"],
        "again_seconds": medians["again"],
        "again_share": medians["again"] / medians["sent"],
        "client_seconds": medians["client"],
        "batch_rows": BATCH_ROWS,
        "connections": CONNECTIONS,
    }


def sender(url: str, bodies: list[bytes], *, known: bool = False) -> Callable[[], None]:
    client = Client(url)
    client.sign_in("meters@tarnwick.example", PASSWORD)

    def send() -> None:
        for body in bodies:
            outcome = client.readings.send_bytes(FEED, body, BATCH)
            if outcome.refused or (outcome.accepted if known else outcome.known):
                raise SystemExit(f"not all were {'known' if known else 'accepted'}: {outcome.outcomes[0].reason}")
        client.close()

    return send


def at_once(works: list[Callable[[], None]]) -> float:
    threads = [threading.Thread(target=work) for work in works]
    began = time.perf_counter()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return time.perf_counter() - began


def settle(history: History) -> None:
    """Let the worker make the usage of what came in, so that it is not in the way of the floor."""
    while history.mara.usage.sum("tarnwick", "2026-09", wait=600).waiting:
        pass


Row = tuple[Any, ...]
Batch = list[tuple[Row, Row]]
"""Rows of keys and of readings."""


def _floor(socket: Path, rows: Batch, write: Callable[[Any, Batch], None]) -> float:
    """The same rows by the bare driver from two processes, into empty tables of the same shape."""
    with (
        MySQLdb.connect(unix_socket=str(socket), user=administrator(), autocommit=True) as connection,
        connection.cursor() as cursor,
    ):
        cursor.execute("SET FOREIGN_KEY_CHECKS = 0")
        cursor.execute("CREATE OR REPLACE DATABASE floor CHARACTER SET utf8mb4")
    engine = make_engine(f"mysql://{administrator()}@localhost/floor?unix_socket={socket}")
    schema.migrate(engine)
    schema.ensure_months(engine, ["2026-08", "2026-09", "2026-10"])
    engine.dispose()
    batches = [rows[at : at + BATCH_ROWS] for at in range(0, len(rows), BATCH_ROWS)]
    context = multiprocessing.get_context("fork")
    gate = context.Barrier(CONNECTIONS + 1)
    workers = [
        context.Process(target=_write, args=(str(socket), batches[part::CONNECTIONS], write, gate))
        for part in range(CONNECTIONS)
    ]
    for worker in workers:
        worker.start()
    gate.wait()
    began = time.perf_counter()
    for worker in workers:
        worker.join()
    return time.perf_counter() - began


def _rows(place: int, event: dict[str, Any]) -> tuple[tuple[Any, ...], tuple[Any, ...]]:
    reading = read_reading(event["source"], event["id"], event["data"])
    start, end = reading.start.replace(tzinfo=None), reading.end.replace(tzinfo=None)
    resource = int.from_bytes(reading_key("1", "", reading.resource)[:3], "big")
    key = (reading_key("1", reading.source, reading.id), reading.content, 0, 1, place, resource, 1, start)
    row = (resource, 1, start, 1, place, end, 1, 1, reading.id, 0, reading.quantity)
    return key, row


def _write(socket: str, batches: list[Batch], write: Callable[[Any, Batch], None], gate: Any) -> None:
    connection = MySQLdb.connect(unix_socket=socket, user=administrator(), database="floor", local_infile=True)
    cursor = connection.cursor()
    gate.wait()
    for batch in batches:
        write(cursor, batch)
        connection.commit()
    connection.close()


KEYS = "`key`, content, sequence, delivery_id, position, resource_id, meter_id, start_at"
READINGS = (
    "resource_id, meter_id, start_at, delivery_id, position, end_at, origin_id, attribute_set_id, event_id, sequence, "
    "quantity"
)


def _insert(cursor: Any, batch: Batch) -> None:
    values = "(" + ", ".join(["%s"] * 8) + ")"
    cursor.executemany(f"INSERT IGNORE INTO reading_keys ({KEYS}) VALUES {values}", [key for key, _ in batch])
    values = "(" + ", ".join(["%s"] * 11) + ")"
    cursor.executemany(f"INSERT INTO readings ({READINGS}) VALUES {values}", [row for _, row in batch])


def _load(cursor: Any, batch: Batch) -> None:
    keys = [(key[0].hex(), key[1].hex(), *key[2:]) for key, _ in batch]
    binary = KEYS.replace("`key`, content", "@key, @content") + ") SET `key` = UNHEX(@key), content = UNHEX(@content"
    for table, names, rows in (("reading_keys", binary, keys), ("readings", READINGS, [row for _, row in batch])):
        descriptor = os.memfd_create("rows")
        with os.fdopen(descriptor, "w") as file:
            file.writelines("\t".join(map(str, row)) + "\n" for row in rows)
            file.flush()
            cursor.execute(f"LOAD DATA LOCAL INFILE '/proc/self/fd/{descriptor}' INTO TABLE {table} ({names})")
