"""A mixed month from a frame in memory to explained charges, against the bare sum of that frame."""

import resource
import statistics
import time
from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.periods import Period, hour_number
from gradumen.core.rates import Block, Blocks, Rate, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.rating import Pricing, RatedLine, combine
from gradumen.core.units import parse_unit

LINES, METERS, REGIONS, CARDS, RUNS = 5_000, 20, 4, 10, 5
PERIOD, ZONE = Period(2026, 10), ZoneInfo("Europe/Dublin")


def make_frame(rows: int) -> pl.DataFrame:
    """Usage rows as `USAGE_SCHEMA` has them, quantities in 64 bits."""
    random = np.random.default_rng(20_261)
    first, last = (hour_number(moment) for moment in PERIOD.bounds(ZONE))
    return pl.DataFrame(
        {
            "line": random.integers(0, LINES, rows, dtype=np.int32),
            "meter": random.integers(0, METERS, rows, dtype=np.int32),
            "attributes": random.integers(0, REGIONS, rows, dtype=np.int32),
            "project": random.integers(0, 3, rows, dtype=np.int32),
            "resource": random.integers(0, 50, rows, dtype=np.int32),
            "hour": random.integers(first, last, rows, dtype=np.int32),
            "quantity": random.integers(0, 10**12, rows, dtype=np.int64),
        }
    )


def make_pricing() -> Pricing:
    """Ten cards, each with two versions of per-unit and graduated rates; a quarter of the rates by region."""
    hour = parse_unit("hour")
    versions: dict[int, tuple[RateCardVersion, ...]] = {}
    for card in range(CARDS):
        made = []
        for number, day in ((1, date(2026, 1, 1)), (2, date(2026, 10, 16))):
            rates: list[Rate] = [RecurringRate("fee", "plan", "moor", Decimal(49))]
            for meter in range(METERS):
                price = Decimal(1 + card + meter + number).scaleb(-4)
                steps = (Block(None, price),) if meter % 4 else (Block(Decimal(500), price), Block(None, price / 2))
                rates.append(UsageRate(f"m{meter}", f"s/m{meter}", hour, Blocks(steps)))
                if meter % 4 == 1:
                    special = Blocks((Block(None, price * 2),))
                    rates.append(UsageRate(f"m{meter}-r0", f"s/m{meter}", hour, special, (("region", "r0"),)))
            made.append(RateCardVersion(f"card-{card}", number, "EUR", day, tuple(rates)))
        versions[card] = tuple(made)
    start = datetime(2026, 1, 1, tzinfo=UTC)
    allowances = {f"s/m{meter}": Decimal(1000) for meter in range(0, METERS, 5)}
    lines = {n: RatedLine(n, "plan", "moor", start, None, versions[n % CARDS], allowances) for n in range(LINES)}
    meters = {number: f"s/m{number}" for number in range(METERS)}
    return Pricing(lines, meters, {n: {"region": f"r{n}"} for n in range(REGIONS)}, PERIOD, ZONE)


def run(rows: int) -> dict[str, Any]:
    """Medians of five, floor and product taking turns."""
    frame = make_frame(rows)
    pricing = make_pricing()
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    times: dict[str, list[float]] = {"floor": [], "combine": [], "price": []}
    charges = groups = 0
    for _ in range(RUNS):
        query = frame.lazy().group_by("line", "meter").agg(pl.col("quantity").sum())
        _timed(times["floor"], lambda query=query: query.collect(engine="streaming"))
        combined = _timed(times["combine"], lambda: combine(frame.lazy(), pricing.boundaries))
        rated = _timed(times["price"], lambda combined=combined: pricing.price(combined))
        charges, groups = len(rated.charges), combined.height
    seconds = statistics.median(a + b for a, b in zip(times["combine"], times["price"], strict=True))
    floor = statistics.median(times["floor"])
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return {
        "rows": rows,
        "seconds": seconds,
        "floor_seconds": floor,
        "ratio": seconds / floor,
        "rows_per_second": rows / seconds,
        "peak_rss_mib": peak / 1024,
        "peak_less_frame_share": (peak - before) * 1024 / frame.estimated_size(),
        "combine_seconds": statistics.median(times["combine"]),
        "price_seconds": statistics.median(times["price"]),
        "groups": groups,
        "charges": charges,
    }


def _timed(times: list[float], work: Callable[[], Any]) -> Any:
    start = time.perf_counter()
    result = work()
    times.append(time.perf_counter() - start)
    return result
