"""Publishing a large rate card, and the cost of an estimate against a route that only authenticates."""

import statistics
import time
from collections.abc import Callable
from datetime import date
from typing import Any

from ingest import running

from gradumen.client import Client
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.rating.estimates import EstimateAsked, ExpectedUse

CALLS = 100
SERVICE = """
service: images
name: Images
category: Compute
subcategory: Virtual Machines
attributes: {image: [], region: []}
meters:
  run: {name: Run, unit: piece-second, combine: level}
"""
USES: tuple[tuple[str, str, str, dict[str, str]], ...] = (
    ("compute/vcpu", "5840", "vCPU-hour", {"size": "small"}),
    ("compute/memory", "32", "GiB-month730", {}),
    ("block-storage/capacity", "500", "GiB-month730", {"disk": "fast"}),
    ("network/egress", "1200", "GiB", {}),
)


def run(rows: int) -> dict[str, Any]:
    """Publish a card of ``rows`` rates; then estimates of a year with four meters and the floor taking turns."""
    with running() as (_, history):
        client = history.mara
        began = time.perf_counter()
        client.catalogue.publish("tarnwick", [CatalogueFile(name="card.yaml", content=SERVICE + _card(rows))])
        published = time.perf_counter() - began
        estimates, floors = _taking_turns(client)
    return {
        "rows": rows,
        "seconds": published,
        "estimate_p50_ms": statistics.median(estimates) * 1000,
        "estimate_p95_ms": _p95(estimates) * 1000,
        "floor_p50_ms": statistics.median(floors) * 1000,
        "floor_p95_ms": _p95(floors) * 1000,
        "ratio": statistics.median(estimates) / statistics.median(floors),
    }


def _card(rates: int) -> str:
    lines = "\n".join(
        f"  - {{rate: r{n}, meter: images/run, where: {{image: image-{n}, region: region-{n % 7}}}, per: piece-hour, "
        f"price: 0.{n + 1}}}"
        for n in range(rates)
    )
    return f"---\nrate-card: images\nname: Images\ncurrency: EUR\nstarts-on: 2026-01-01\nrates:\n{lines}\n"


def _taking_turns(client: Client) -> tuple[list[float], list[float]]:
    asked = EstimateAsked(
        organisation="kestrel-row",
        plan="open-range",
        tier="moor",
        first_day=date(2026, 11, 1),
        months=12,
        expected=[ExpectedUse(meter=m, quantity=q, unit=u, attributes=a) for m, q, u, a in USES],
    )
    estimates: list[float] = []
    floors: list[float] = []
    for _ in range(CALLS):
        _timed(estimates, lambda: client.estimates.price(asked))
        _timed(floors, client.session)
    return estimates, floors


def _timed(times: list[float], work: Callable[[], object]) -> None:
    began = time.perf_counter()
    work()
    times.append(time.perf_counter() - began)


def _p95(times: list[float]) -> float:
    return sorted(times)[-(-len(times) * 95 // 100) - 1]
