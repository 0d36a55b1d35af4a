"""A changed rule of ownership gives a month's usage to others: of 1 % and of all resources, until it is current.

Against reading and writing the packed days that move by the bare driver. Usage is made again from readings, of which
there is one an hour: that is 24 times as many rows as days move.
"""

import json
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import ingest
from large import connected

from gradumen.client.metering.readings import reading_event
from gradumen.demo.history import History
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm

ACCOUNTS, DAYS = 100, 30
COLUMNS = "project_number, meter_id, day, resource_id, attribute_set_id, hours, slots, total, readings"


def run(rows: int) -> dict[str, Any]:
    """Of so many hourly values of a month: seconds and ratio of each of the two changes."""
    machines = max(ACCOUNTS, rows // (24 * DAYS))
    with ingest.running() as (service, history):
        socket = service.data / "database" / "db.sock"
        events = _events(machines)
        parts = [events[at : at + ingest.BATCH_ROWS] for at in range(0, len(events), ingest.BATCH_ROWS)]
        bodies = [json.dumps(part).encode() for part in parts]
        ingest.at_once(
            [ingest.sender(service.url, bodies[part :: ingest.CONNECTIONS]) for part in range(ingest.CONNECTIONS)]
        )
        ingest.settle(history)
        _go_on(socket)
        tried = _tried(history, {"account": "acc-0"})
        some = _measured(history, socket, "One", {"account": "acc-0"})
        whole = _measured(history, socket, "All", {"account": {"prefix": "acc-"}})
    found: dict[str, Any] = {"rows": machines * 24 * DAYS, "trial_seconds": tried}
    for name, (seconds, floor, days) in (("one_percent", some), ("all", whole)):
        found |= {f"{name}_days": days, f"{name}_seconds": seconds, f"{name}_floor_seconds": floor}
        found[f"{name}_ratio"] = seconds / floor
    return found


def _events(machines: int) -> list[dict[str, Any]]:
    """Hourly values of the first day, without an owner, of accounts of which each has a hundredth of the machines."""
    found = []
    for number in range(machines * 24):
        hour, machine = divmod(number, machines)
        begin = datetime(2026, 9, 1, tzinfo=UTC) + timedelta(hours=hour)
        data = {
            "account": f"acc-{machine % ACCOUNTS}", "resource": f"machine-{machine}", "meter": "compute/vcpu",
            "quantity": str(1 + number % 32), "unit": "vCPU", "start": begin.isoformat(),
            "end": (begin + timedelta(hours=1)).isoformat(), "attributes": {"site": "north-fell", "size": "medium"},
        }  # fmt: skip
        found.append(reading_event("/sites/north-fell", f"run-{number}", data))
    return found


def _go_on(socket: Path) -> None:
    """The other days are as the first, of which the service took readings in and made usage."""
    days = f"seq_1_to_{DAYS - 1} d"
    with connected(socket) as connection, connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO readings (resource_id, meter_id, start_at, delivery_id, position, end_at, origin_id, "
            "attribute_set_id, event_id, sequence, quantity) "
            "SELECT r.resource_id, r.meter_id, r.start_at + INTERVAL d.seq DAY, r.delivery_id, r.position, "
            "r.end_at + INTERVAL d.seq DAY, r.origin_id, r.attribute_set_id, "
            f"CONCAT(r.event_id, '-', d.seq), r.sequence, r.quantity FROM readings r JOIN {days} ORDER BY 1, 2, 3"
        )
        cursor.execute(
            f"INSERT INTO usage_days ({COLUMNS}) SELECT u.project_number, u.meter_id, u.day + INTERVAL d.seq DAY, "
            "u.resource_id, u.attribute_set_id, u.hours, u.slots, u.total, u.readings "
            f"FROM usage_days u JOIN {days} ORDER BY 1, 2, 3, 4"
        )
        connection.commit()


def _rule(name: str, conditions: dict[str, Any]) -> OwnershipRuleForm:
    return OwnershipRuleForm(name=name, owner="quillstone/archive", starts_on=date(2026, 9, 1), conditions=conditions)


def _tried(history: History, conditions: dict[str, Any]) -> float:
    """How long a trial of a rule takes, with what the months that it reaches would come to."""
    began = time.perf_counter()
    found = history.mara.ownership_trials.ask("tarnwick", [_rule("One", conditions)])
    found = history.mara.ownership_trials.wait(found.id)
    if found.too_much or not (found.links or found.not_priced):
        raise RuntimeError(f"the trial told no money: {found}")
    return time.perf_counter() - began


def _measured(history: History, socket: Path, name: str, conditions: dict[str, Any]) -> tuple[float, float, int]:
    """How long until usage follows a rule that takes nobody's usage, how long its floor, and how many days moved."""
    before = _owned(socket)
    rules = history.mara.ownership_rules.get("tarnwick")
    began = time.perf_counter()
    history.mara.ownership_rules.set("tarnwick", [*rules.rules, _rule(name, conditions)], rules.version)
    for task in history.mara.tasks.list("tarnwick"):
        history.mara.tasks.follow(task.id, seconds=3600)
    ingest.settle(history)
    seconds = time.perf_counter() - began
    moved = _owned(socket) - before
    return seconds, _floor(socket, moved), moved


def _owned(socket: Path) -> int:
    with connected(socket) as connection, connection.cursor() as cursor:
        cursor.execute("SELECT COUNT(*) FROM gradumen.usage_days WHERE project_number <> 0")
        return int(cursor.fetchone()[0])


def _floor(socket: Path, days: int) -> float:
    """So many packed days, read and written again as another project's, by the bare driver."""
    with connected(socket) as connection, connection.cursor() as cursor:
        cursor.execute("CREATE OR REPLACE DATABASE floor CHARACTER SET utf8mb4")
        cursor.execute("CREATE TABLE floor.usage_days LIKE gradumen.usage_days")
        cursor.execute(
            "INSERT INTO floor.usage_days SELECT * FROM gradumen.usage_days WHERE project_number <> 0 LIMIT %s", (days,)
        )
        connection.commit()
        began = time.perf_counter()
        cursor.execute(f"SELECT {COLUMNS} FROM floor.usage_days")
        rows = cursor.fetchall()
        cursor.execute("DELETE FROM floor.usage_days")
        marks = ", ".join(["%s"] * 9)
        cursor.executemany(
            f"INSERT INTO floor.usage_days ({COLUMNS}) VALUES ({marks})", [(9_999, *row[1:]) for row in rows]
        )
        connection.commit()
        return time.perf_counter() - began
