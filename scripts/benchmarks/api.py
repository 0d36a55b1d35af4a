"""Routes of a service with many organisations, against a route that only authenticates, in the same run."""

import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from uuid import uuid4

import ingest
import MySQLdb
from argon2 import PasswordHasher

from gradumen.client import Client
from gradumen.client.connection import Connection
from gradumen.demo.scenario import PASSWORD
from gradumen.store.database_accounts import administrator
from gradumen.wire.access.sessions import SessionBody
from gradumen.wire.clock import ClockBody
from gradumen.wire.rating.estimates import EstimateBody
from gradumen.wire.subscriptions.onboardings import OnboardingsBody

CALLS = 60
USER = "finn@tarnwick.example"
ESTIMATE = {
    "organisation": "quillstone",
    "plan": "open-range",
    "tier": "moor",
    "months": 12,
    "expected": [{"meter": "compute/vcpu", "quantity": "2920", "unit": "vCPU-hour", "attributes": {"size": "small"}}],
}

CUSTOMER = {
    "check": True,
    "customers": [
        {"slug": "gull", "name": "Gull", "subscriptions": [{"plan": "open-range", "tier": "moor"}]},
    ],
}


def run(rows: int) -> dict[str, Any]:
    """Median and 95th percentile of each route, and its ratio to the floor."""
    with ingest.running() as (service, _):
        widen(service.data / "database" / "db.sock", rows)
        client = Client(service.url)
        client.sign_in(USER, PASSWORD)
        connection: Connection = client.organisations._connection
        routes: dict[str, Callable[[], object]] = {
            "session": lambda: connection.get("session", SessionBody),
            "list": lambda: connection.send("GET", "organisations", params={"limit": 100}),
            "search": lambda: connection.send("GET", "organisations", params={"search": "wide-009", "limit": 100}),
            # As the console's pickers ask while somebody types.
            "picker": lambda: connection.send("GET", "organisations", params={"search": "wide-009", "limit": 20}),
            "tree": lambda: connection.send("GET", "organisations", params={"parent": "oxbow", "limit": 100}),
            "detail": lambda: connection.send("GET", "organisations/wide-00042"),
            "quotas": lambda: connection.send("GET", "organisations/wide-00042/quotas"),
            "matrix": lambda: connection.send("GET", "organisations/tarnwick/quota-matrix", params={"limit": 50}),
            "onboarding_check": lambda: connection.post(
                "organisations/tarnwick/onboardings", OnboardingsBody, CUSTOMER
            ),
            "estimate": lambda: connection.post("estimates", EstimateBody, ESTIMATE),
        }
        floor = _times(lambda: connection.get("clock", ClockBody))
        times = {name: _times(call) for name, call in routes.items()}
        times["sign_in"] = _times(lambda: Client(service.url).sign_in(USER, PASSWORD), 12)
        client.close()
    verified = _times(_verification(), 12)
    least = statistics.median(floor)
    result: dict[str, Any] = {"rows": rows, "floor_seconds": least, "argon2_seconds": statistics.median(verified)}
    for name, taken in times.items():
        base = least + (statistics.median(verified) if name == "sign_in" else 0)
        result |= {
            f"{name}_seconds": statistics.median(taken),
            f"{name}_p95_seconds": statistics.quantiles(taken, n=20)[-1],
            f"{name}_ratio": statistics.median(taken) / base,
        }
    return result


def _times(call: Callable[[], object], calls: int = CALLS) -> list[float]:
    call()
    found = []
    for _ in range(calls):
        began = time.perf_counter()
        call()
        found.append(time.perf_counter() - began)
    return found


def _verification() -> Callable[[], object]:
    hasher = PasswordHasher()
    stored = hasher.hash(PASSWORD)
    return lambda: hasher.verify(stored, PASSWORD)


def widen(socket: Path, rows: int) -> None:
    """So many tenants more, a third of them of resellers, each with a quota, straight into the database."""
    with MySQLdb.connect(unix_socket=str(socket), user=administrator(), database="gradumen") as connection:
        cursor = connection.cursor()
        cursor.execute("SELECT slug, id FROM organisations")
        known = dict(cursor.fetchall())
        sellers = ("tarnwick", "tarnwick", "oxbow")
        made = [(str(uuid4()), f"wide-{n:05d}", known[sellers[n % 3]]) for n in range(rows)]
        cursor.executemany(
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (%s, 'tenant', %s, %s, 'IE', 'EUR', NOW(), 0)",
            [(id, slug, slug.title()) for id, slug, _ in made],
        )
        cursor.executemany(
            "INSERT INTO parent_edges (child_id, starts_at, parent_id) VALUES (%s, '2000-01-01', %s)",
            [(id, seller) for id, _, seller in made],
        )
        cursor.executemany(
            "INSERT INTO quotas (holder_id, measure, organisation_id, giver_id, limit_value, is_set, reservation, factor, "
            "version) VALUES (%s, 'memory', %s, %s, 1, 1, 0, 1, 1)",
            [(id, id, seller) for id, _, seller in made],
        )
        cursor.execute("UPDATE revisions SET token = UUID()")
        connection.commit()
