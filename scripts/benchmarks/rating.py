"""Rating a month from a frame in memory to explained charges, against the bare sum of the same frame."""

import gc
import os
import statistics
import time
from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal
from functools import partial
from pathlib import Path
from threading import Event, Thread
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from gradumen.core.catalogue.conditions import Equals, TimeWindow
from gradumen.core.catalogue.rates import (
    Block,
    Blocks,
    Lots,
    Rate,
    RateCardVersion,
    RecurringRate,
    Started,
    UsageRate,
)
from gradumen.core.catalogue.sampling import Sampling, Statistic, Window
from gradumen.core.catalogue.units import parse_unit
from gradumen.core.periods import Period, hour_number
from gradumen.core.rating.fees import fees
from gradumen.core.rating.rated_periods import sample_groups, started_groups
from gradumen.core.rating.rating import PricedUsage, Pricing, RatedLine

LINES, METERS, REGIONS, CARDS, RUNS = 5_000, 20, 4, 10, 5
PERIOD, ZONE = Period(2026, 10), ZoneInfo("Europe/Dublin")
NIGHTS = TimeWindow((0, 1, 2, 3, 4), 20, 6)


def make_frame(rows: int, meters: int = METERS) -> pl.DataFrame:
    """Usage rows as `USAGE_SCHEMA` has them, quantities in 64 bits."""
    random = np.random.default_rng(20_261)
    first, last = (hour_number(moment) for moment in PERIOD.bounds(ZONE))
    return pl.DataFrame(
        {
            "line": random.integers(0, LINES, rows, dtype=np.int32),
            "meter": random.integers(0, meters, rows, dtype=np.int32),
            "attributes": random.integers(0, REGIONS, rows, dtype=np.int32),
            "project": random.integers(0, 3, rows, dtype=np.int32),
            "resource": random.integers(0, 50, rows, dtype=np.int32),
            "hour": random.integers(first, last, rows, dtype=np.int32),
            "quantity": random.integers(0, 10**12, rows, dtype=np.int64),
        }
    )


def make_rates(card: int, number: int, windows: bool) -> tuple[Rate, ...]:
    """Per unit, stepped, whole quantity and lots, some by region, with allowances, caps and minima."""
    hour = parse_unit("hour")
    rates: list[Rate] = [RecurringRate("fee", "plan", "moor", Decimal(49))]
    for meter in range(METERS):
        price = Decimal(1 + card + meter + number).scaleb(-4)
        steps = (Block(Decimal(500), price), Block(Decimal(5000), price / 2), Block(None, price / 4))
        name, slug = f"s/m{meter}", f"m{meter}"
        if meter % 5 == 0:
            rates.append(UsageRate(slug, name, hour, Blocks(steps)))
        elif meter % 5 == 1:
            rates.append(UsageRate(slug, name, hour, Blocks(steps, whole=True)))
        elif meter % 10 == 2:
            rates.append(UsageRate(slug, name, hour, Lots(Decimal(100), price), cap=Decimal(5000)))
        elif meter % 10 == 3:
            rates.append(UsageRate(slug, name, hour, Blocks((Block(None, price),)), allowance=Decimal(50)))
        else:
            rates.append(UsageRate(slug, name, hour, Blocks((Block(None, price),))))
        if meter % 4 == 1:
            special = Blocks((Block(None, price * 2),))
            rates.append(UsageRate(f"{slug}-r0", name, hour, special, (("region", Equals("r0")),)))
        if windows and meter % 10 == 9:
            rates.append(UsageRate(f"{slug}-night", name, hour, Blocks((Block(None, price / 3),)), when=NIGHTS))
    time_price = Blocks((Block(None, Decimal(card + 1).scaleb(-2)),))
    rates.append(UsageRate("time", "s/time", hour, time_price, started=Started.HOUR, phases=("running",)))
    return tuple(rates)


def make_pricing(windows: bool = False) -> Pricing:
    """Ten cards with two versions each; a quarter of the lines' meters have an allowance of the tier."""
    versions = {
        card: tuple(
            RateCardVersion(f"card-{card}", number, "EUR", day, make_rates(card, number, windows))
            for number, day in ((1, date(2026, 1, 1)), (2, date(2026, 10, 16)))
        )
        for card in range(CARDS)
    }
    start = datetime(2026, 1, 1, tzinfo=UTC)
    allowances = {f"s/m{meter}": Decimal(1000) for meter in range(0, METERS, 5)}
    lines = {n: RatedLine(n, "plan", "moor", start, None, versions[n % CARDS], allowances) for n in range(LINES)}
    meters = {**{number: f"s/m{number}" for number in range(METERS)}, METERS: "s/time"}
    sets = {n: {"region": f"r{n}"} for n in range(REGIONS)}
    return Pricing(lines, meters, sets, PERIOD, ZONE, phases={"held": 0, "running": 1})


def run(rows: int) -> dict[str, Any]:
    """Medians of five, floor and product taking turns."""
    frame = make_frame(rows)

    def floor() -> pl.DataFrame:
        return frame.lazy().group_by("line", "meter").agg(pl.col("quantity").sum()).collect(engine="streaming")

    def rate(pricing: Pricing) -> PricedUsage:
        return pricing.price(pricing.combine(frame))

    times: dict[str, list[float]] = {name: [] for name in ("floor", "combine", "price", "fees", "windows")}
    peaks: dict[str, list[float]] = {"floor": [], "rating": []}
    charges = pieces = 0
    # First, before earlier runs leave memory behind that can be used again.
    for name, work in (("rating", partial(rate, make_pricing())), ("floor", floor)):
        peaks[name].append(_peak(work))
    for _ in range(RUNS):
        _measured(times["floor"], floor)
        pricing, night = make_pricing(), make_pricing(windows=True)
        groups = _measured(times["combine"], partial(pricing.combine, frame))
        priced = _measured(times["price"], partial(pricing.price, groups))
        fixed = _measured(times["fees"], partial(_count_fees, pricing))
        charges, pieces = len(priced) + fixed, len(priced.priced.pieces.step)
        del groups, priced
        _measured(times["windows"], partial(rate, night))
    medians = {name: statistics.median(each) for name, each in times.items()}
    apart = special(rows // 10)
    seconds = medians["combine"] + medians["price"] + medians["fees"]
    return {
        "rows": rows,
        "seconds": seconds,
        "floor_seconds": medians["floor"],
        "ratio": seconds / medians["floor"],
        "rows_per_second": rows / seconds,
        "peak_rss_mib": max(peaks["rating"]) / 2**20,
        "peak_less_frame_share": peaks["rating"][0] / frame.estimated_size(),
        "floor_peak_less_frame_share": peaks["floor"][0] / frame.estimated_size(),
        "combine_seconds": medians["combine"],
        "price_seconds": medians["price"],
        "fees_seconds": medians["fees"],
        "windows_ratio": medians["windows"] / medians["floor"],
        **apart,
        "charges": charges,
        "blocks": pieces,
        "cores": len(os.sched_getaffinity(0)),
    }


def special(rows: int) -> dict[str, float]:
    """The kinds that do not add up, each against its own floor: sorting its rows, or merging sorted intervals."""
    samples, stretches, pricing = make_samples(rows), make_stretches(rows), make_pricing()
    pricing.samplings = {slug: Sampling(Statistic.P95, Window.PERIOD) for slug in pricing.meters.values()}
    keys = ["line", "meter", "resource"]
    times: dict[str, list[float]] = {name: [] for name in ("sort", "p95", "merge", "started")}
    for _ in range(RUNS):
        _measured(times["sort"], lambda: samples.lazy().sort(*keys, "quantity").collect(engine="streaming"))
        _measured(times["p95"], lambda: sample_groups(samples, pricing))
        _measured(times["merge"], partial(_merge, stretches))
        _measured(times["started"], partial(started_groups, stretches, pricing))
    medians = {name: statistics.median(each) for name, each in times.items()}
    return {
        "p95_ratio": medians["p95"] / medians["sort"],
        "started_ratio": medians["started"] / medians["merge"],
        "p95_seconds": medians["p95"],
        "started_seconds": medians["started"],
    }


def _merge(stretches: pl.DataFrame) -> int:
    """The least that merging costs: a sort, and a running maximum of ends."""
    rows = stretches.lazy().sort("line", "meter", "resource", "start").collect(engine="streaming")
    reached = np.maximum.accumulate(rows["end"].to_numpy())
    return int((rows["start"].to_numpy()[1:] > reached[:-1]).sum())


def make_samples(rows: int) -> pl.DataFrame:
    """Resources with a sample in every hour of the month, in no order."""
    random = np.random.default_rng(7)
    first, last = (hour_number(moment) for moment in PERIOD.bounds(ZONE))
    resource = np.repeat(np.arange(rows // (last - first), dtype=np.int32), last - first)
    frame = pl.DataFrame(
        {
            "line": resource % (LINES // 10),
            "meter": resource % METERS,
            "attributes": resource % REGIONS,
            "project": resource % 3,
            "resource": resource,
            "hour": np.tile(np.arange(first, last, dtype=np.int32), rows // (last - first)),
            "quantity": random.integers(0, 10**12, len(resource)),
        }
    )
    return frame.sample(fraction=1, shuffle=True, seed=1)


def make_stretches(rows: int) -> pl.DataFrame:
    """Resources that run, pause and overlap, a dozen intervals each, in no order."""
    random = np.random.default_rng(8)
    start, end = (int(moment.timestamp()) for moment in PERIOD.bounds(ZONE))
    resource = np.arange(rows, dtype=np.int32) % (rows // 12)
    begin = random.integers(start, end, rows)
    return pl.DataFrame(
        {
            "line": resource % (LINES // 10),
            "meter": np.full(rows, METERS, dtype=np.int32),
            "attributes": resource % REGIONS,
            "project": resource % 3,
            "resource": resource,
            "phase": random.integers(0, 2, rows, dtype=np.int32),
            "start": begin,
            "end": begin + random.integers(1, 200_000, rows),
        }
    )


def _count_fees(pricing: Pricing) -> int:
    return sum(1 for _ in fees(pricing))


def _measured(times: list[float], work: Callable[[], Any]) -> Any:
    gc.collect()
    start = time.perf_counter()
    result = work()
    times.append(time.perf_counter() - start)
    return result


def _peak(work: Callable[[], Any]) -> float:
    """The most memory in use during the work, less what was in use before (bytes, looked at every 5 ms)."""
    gc.collect()
    most, over = [_resident()], Event()

    def watch() -> None:
        while not over.wait(0.005):
            most[0] = max(most[0], _resident())

    before = most[0]
    watcher = Thread(target=watch)
    watcher.start()
    try:
        work()
    finally:
        over.set()
        watcher.join()
    return float(most[0] - before)


def _resident() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096
