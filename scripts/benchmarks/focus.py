"""A FOCUS Parquet file sent in pieces and taken in, against reading it and LOAD DATA of its rows as they are kept."""

import os
import statistics
import tempfile
import threading
import time
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import ingest
import MySQLdb
import polars as pl
import psutil

from gradumen.core.metering.imported_costs import READ
from gradumen.demo.__main__ import Service
from gradumen.demo.history import History
from gradumen.store.database_accounts import administrator
from gradumen.store.unit_of_work import make_engine
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.metering.kind_rules import KindRuleForm

RUNS = 3
ROW_GROUP = 128_000
FEED = "tarnwick/bench-costs"
RESOURCES, ACCOUNTS, DAYS = 50_000, 40, 30
CATALOGUE = """
service: bench
name: Bench
category: Compute
subcategory: Virtual Machines
meters:
  cost: {name: Cost, unit: micro-EUR, combine: sum}
  hours: {name: Machines, unit: machine-second, counted: machine, combine: level}
"""
LOADED = (
    "set_id, position, month, resource_id, origin_id, attribute_set_id, category, correction, commitment, currency, "
    "billed, effective, listed, contracted, quantity, unit, invoice"
)
BATCH = 50_000
UNREAD = "SELECT EXISTS (SELECT 1 FROM cost_sets WHERE unread_since IS NOT NULL)"


def make_file(path: Path, rows: int, run: int) -> None:
    """Rows of September: each resource of one account, with what it cost in an hour or so."""
    at = pl.int_range(rows, eager=True)
    machine, day = at % RESOURCES, at // RESOURCES % DAYS
    start = pl.Series([datetime(2026, 9, 1 + each, tzinfo=UTC) for each in range(DAYS)]).gather(day)
    cost = ((at * 7919 + run) % 99_991).cast(pl.Decimal(38, 12)) / Decimal(1_000_000)
    number = machine.cast(pl.String)
    account = (machine % ACCOUNTS).cast(pl.String)
    frame = pl.DataFrame(
        {
            "BilledCost": cost.cast(pl.Decimal(38, 12)),
            "EffectiveCost": cost.cast(pl.Decimal(38, 12)),
            "ListCost": cost.cast(pl.Decimal(38, 12)),
            "ContractedCost": cost.cast(pl.Decimal(38, 12)),
            "ChargePeriodStart": start,
            "ChargePeriodEnd": start + timedelta(days=1),
            "ResourceId": "machine-" + number,
            "SubAccountId": "account-" + account,
            "SkuId": "sku-" + (machine % 300).cast(pl.String),
            "Tags": '{"team": "t' + (machine % 200).cast(pl.String) + '", "name": "n' + number + '"}',
            "ConsumedQuantity": ((at % 24) + 1).cast(pl.Decimal(38, 12)),
        }
    ).with_columns(
        pl.lit("B-1").alias("BillingAccountId"),
        pl.lit("EUR").alias("BillingCurrency"),
        pl.lit("Usage").alias("ChargeCategory"),
        pl.lit("Machines").alias("ServiceName"),
        pl.lit("Compute").alias("ServiceCategory"),
        pl.lit("west").alias("RegionId"),
        pl.lit("Hours").alias("ConsumedUnit"),
        pl.lit("Cumulant").alias("ProviderName"),
        pl.lit(datetime(2026, 9, 1, tzinfo=UTC)).alias("BillingPeriodStart"),
        pl.lit(datetime(2026, 10, 1, tzinfo=UTC)).alias("BillingPeriodEnd"),
    )
    frame.write_parquet(path, row_group_size=ROW_GROUP, compression="zstd")


def run(rows: int) -> dict[str, Any]:
    """Medians of three; each file takes the place of the one before."""
    times: dict[str, list[float]] = {name: [] for name in ("sent", "taken", "current", "read", "load")}
    peaks: list[float] = []
    with ingest.running() as (service, history), tempfile.TemporaryDirectory() as folder:
        _set_up(history)
        for number in range(RUNS):
            path = Path(folder, f"costs-{number}.parquet")
            make_file(path, rows, number)
            with Peak(service) as peak:
                began = time.perf_counter()
                found = history.mara.uploads.send(FEED, path, exported_at=datetime(2026, 10, 2, number, tzinfo=UTC))
                times["sent"].append(time.perf_counter() - began)
                found = history.mara.uploads.follow(found.id)
                times["taken"].append(time.perf_counter() - began)
            if (found.state, found.rows) != ("taken", rows):
                raise SystemExit(f"it is {found.state} with {found.rows} rows: {found.problem}")
            peaks.append(peak.most)
            history.mara.usage.sum("tarnwick", "2026-09", wait=3600)
            times["current"].append(time.perf_counter() - began)
            began = time.perf_counter()
            there = pl.read_parquet_schema(path)
            frame = pl.read_parquet(path, columns=[each for each in READ if each in there])
            times["read"].append(time.perf_counter() - began)
            del frame
            times["load"].append(_load(service))
        quantities = _quantities(service, history)
        size = path.stat().st_size
    medians = {name: statistics.median(each) for name, each in times.items()}
    floor = medians["read"] + medians["load"]
    return {
        "rows": rows,
        "seconds": medians["taken"],
        "floor_seconds": floor,
        "ratio": medians["taken"] / floor,
        "rows_per_second": rows / medians["taken"],
        "peak_rss_mib": max(peaks),
        "sent_seconds": medians["sent"],
        "whose_they_are_known_after_seconds": medians["current"],
        "floor_read_seconds": medians["read"],
        "floor_load_seconds": medians["load"],
        "file_mib": size / 2**20,
        **quantities,
    }


def _quantities(service: Service, history: History) -> dict[str, float]:
    """How long until what the last file says was used is readings, and until it counts; and the most memory meanwhile."""
    read = KindRuleForm(
        name="Machines", starts_on=date(2026, 9, 1), meter="bench/hours", unit="machine-hour",
        conditions={"meter": "Machines"},
    )  # fmt: skip
    history.mara.kind_rules.set("tarnwick", [read], 0)
    for task in history.mara.tasks.list("tarnwick"):
        history.mara.tasks.follow(task.id, seconds=3600)
    socket = service.data / "database" / "db.sock"
    engine = make_engine(f"mysql://{administrator()}@localhost/gradumen?unix_socket={socket}")
    with Peak(service) as peak, engine.connect() as connection:
        began = time.perf_counter()
        history.mara.imported_costs.set_meter(FEED, "bench/cost", quantities=True)
        while connection.exec_driver_sql(UNREAD).scalar():
            connection.commit()
            time.sleep(0.2)
        read_in = time.perf_counter() - began
        history.mara.usage.sum("tarnwick", "2026-09", wait=3600)
        current = time.perf_counter() - began
        readings = connection.exec_driver_sql("SELECT COUNT(*) FROM readings WHERE meter_id <> 0").scalar_one()
    engine.dispose()
    return {
        "quantities_readings": float(readings),
        "quantities_read_seconds": read_in,
        "quantities_current_seconds": current,
        "quantities_readings_per_second": readings / read_in,
        "quantities_peak_rss_mib": peak.most,
    }


def _set_up(history: History) -> None:
    mara = history.mara
    mara.catalogue.publish("tarnwick", [CatalogueFile(name="bench.yaml", content=CATALOGUE)])
    mara.feeds.create("tarnwick", slug="bench-costs", name="Costs of the bench")
    mara.imported_costs.set_meter(FEED, "bench/cost")


class Peak:
    """The most memory (PSS, MiB) that the service's own processes have meanwhile, above what they had before.

    The database, whose buffers are as large as they are set to be, is not among them.
    """

    def __init__(self, service: Service) -> None:
        assert service.process is not None
        self._parent, self._over = psutil.Process(service.process.pid), threading.Event()
        self._before, self.most = 0.0, 0.0
        self._thread = threading.Thread(target=self._watch, daemon=True)

    def __enter__(self) -> "Peak":
        self._before = self._now()
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _watch(self) -> None:
        while not self._over.wait(0.1):
            self.most = max(self.most, self._now() - self._before)

    def _now(self) -> float:
        total = 0
        for each in (self._parent, *self._parent.children(recursive=True)):
            try:
                if "mariadb" not in each.name():
                    total += each.memory_full_info().pss
            except psutil.Error:
                continue
        return total / 2**20


def _load(service: Service) -> float:
    """The rows that were kept, by the bare driver into an empty table of the same shape; writing them out is not timed."""
    socket = str(service.data / "database" / "db.sock")
    with MySQLdb.connect(unix_socket=socket, user=administrator(), local_infile=True) as connection:
        cursor = connection.cursor()
        cursor.execute("SHOW DATABASES LIKE 'gradumen%'")
        row = cursor.fetchone()
        assert row is not None
        cursor.execute("CREATE OR REPLACE DATABASE floor CHARACTER SET utf8mb4")
        cursor.execute(f"CREATE TABLE floor.cost_rows LIKE {row[0]}.cost_rows")
        cursor.execute(
            f"SELECT {LOADED} FROM {row[0]}.cost_rows WHERE set_id IN "
            f"(SELECT id FROM {row[0]}.cost_sets WHERE is_current) ORDER BY set_id, position"
        )
        files = []
        while rows := cursor.fetchmany(BATCH):
            descriptor = os.memfd_create("rows")
            with os.fdopen(os.dup(descriptor), "w") as file:
                file.writelines(
                    "\t".join("\\N" if each is None else str(each) for each in line) + "\n" for line in rows
                )
            files.append(descriptor)
        began = time.perf_counter()
        for descriptor in files:
            cursor.execute(f"LOAD DATA LOCAL INFILE '/proc/self/fd/{descriptor}' INTO TABLE floor.cost_rows ({LOADED})")
            connection.commit()
        took = time.perf_counter() - began
        for descriptor in files:
            os.close(descriptor)
        cursor.execute("DROP DATABASE floor")
    return took
