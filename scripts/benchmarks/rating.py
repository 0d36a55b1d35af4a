"""Rating a month from packed days in memory to rows of charges and parts as they are stored.

The floor is unpacking every hour of the same days and adding them up by subscription and meter.
"""

import gc
import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from functools import cache, partial
from pathlib import Path
from threading import Event, Thread
from types import SimpleNamespace
from typing import Any
from uuid import UUID
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
from gradumen.core.metering.packed_days import unpack, unpack_sums
from gradumen.core.periods import Period, hour_number
from gradumen.core.rating.hours_apart import HoursApart
from gradumen.core.rating.rated_periods import rate_period, sample_groups, started_groups
from gradumen.core.rating.rating import USAGE_SCHEMA, Pricing, RatedLine
from gradumen.core.units import parse_unit
from gradumen.usecases.rating.current_charges import Generations, rows_of
from gradumen.usecases.rating.links import RatedPeriod
from gradumen.usecases.rating.usage_frames import Resources

LINES, METERS, REGIONS, CARDS, RUNS = 5_000, 20, 4, 10, 5
PERIOD, ZONE = Period(2026, 10), ZoneInfo("Europe/Dublin")
NIGHTS = TimeWindow((0, 1, 2, 3, 4), 20, 6)
SAMPLED = "s/m19"
"""One of twenty meters counts its largest hours."""


@dataclass(frozen=True, slots=True)
class Days:
    """Packed days: a resource of a line's project, in each of the period's days."""

    columns: dict[str, np.ndarray[Any, np.dtype[np.int32]]]
    day: list[int]
    hours: list[int]
    slots: list[bytes]


def make_days(rows: int) -> Days:
    """So many hourly values, packed."""
    random = np.random.default_rng(20_261)
    first = hour_number(PERIOD.bounds(ZONE)[0]) // 24 + 1
    series = max(1, rows // (24 * 30))
    which = np.repeat(np.arange(series, dtype=np.int32), 30)
    columns = {
        "line": which % LINES,
        "meter": (which // 7) % METERS,
        "attributes": which % REGIONS,
        "project": which % 3,
        "resource": which,
    }
    values = np.zeros((len(which), 48), dtype="<u8")
    values[:, ::2] = random.integers(0, 10**12, (len(which), 24))
    slots = [bytes(row) for row in values]
    return Days(columns, np.tile(np.arange(first, first + 30), series).tolist(), [2**24 - 1] * len(which), slots)


def unpacked(days: Days, pricing: Pricing) -> pl.DataFrame:
    """Packed days as `USAGE_SCHEMA` has them: by hour where hours make a difference, as a worker reads them."""
    versions = [version for card in pricing.cards.values() for version in card]
    first, last = (hour_number(moment, ZONE) for moment in PERIOD.bounds(ZONE))
    apart = HoursApart(versions, pricing.samplings, pricing.meters, (first, last), ZONE)
    found = unpack_sums(days.day, days.hours, days.slots, ZONE, apart.cuts, apart.kinds(days.columns["meter"]))
    columns: dict[str, Any] = {name: values[found.row] for name, values in days.columns.items()}
    columns |= {"hour": found.hour, "quantity": found.quantity.cast(pl.Int128)}
    return pl.DataFrame(columns, schema_overrides=USAGE_SCHEMA).select(*USAGE_SCHEMA)


def make_rated(days: Days, pricing: Pricing) -> Generations:
    """From packed days to rows as they are stored, as a worker does it."""
    start, end = PERIOD.bounds(ZONE)
    frame = unpacked(days, pricing)
    rated = rate_period(frame, pricing)
    lines: Any = {
        number: SimpleNamespace(row=SimpleNamespace(id=number, buyer_id=BUYER), version_ids={1: 1, 2: 2})
        for number in pricing.lines
    }
    projects: Any = [SimpleNamespace(number=number) for number in range(3)]
    resources = Resources([], list(range(1 + int(days.columns["resource"].max()))), {})
    period = RatedPeriod(BUYER, PERIOD, ZONE, start, end, rated, lines, projects, resources, [], NAMES)
    return rows_of(period, {BUYER: {"pair_id": 1, "generation": 1}})


BUYER = UUID(int=1)
NAMES: Any = SimpleNamespace()


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
    running = (("phase", Equals("running")),)
    rates.append(UsageRate("time", "s/time", hour, time_price, match=running, started=Started.HOUR))
    return tuple(rates)


@cache
def make_cards(windows: bool) -> dict[int, tuple[RateCardVersion, ...]]:
    """Ten cards with two versions each, made once: a worker keeps those that it has read."""
    return {
        card: tuple(
            RateCardVersion(f"card-{card}", number, "EUR", day, make_rates(card, number, windows))
            for number, day in ((1, date(2026, 1, 1)), (2, date(2026, 10, 16)))
        )
        for card in range(CARDS)
    }


def make_pricing(windows: bool = False) -> Pricing:
    """By these cards; a quarter of the lines' meters have an allowance of the tier."""
    versions = make_cards(windows)
    start = datetime(2026, 1, 1, tzinfo=UTC)
    allowances = {f"s/m{meter}": Decimal(1000) for meter in range(0, METERS, 5)}
    lines = {n: RatedLine(n, "plan", "moor", start, None, versions[n % CARDS], allowances) for n in range(LINES)}
    meters = {**{number: f"s/m{number}" for number in range(METERS)}, METERS: "s/time"}
    sets = {
        n + REGIONS * place: {"region": f"r{n}", "phase": phase}
        for n in range(REGIONS)
        for place, phase in enumerate(("held", "running"))
    }
    return Pricing(lines, meters, sets, PERIOD, ZONE)


def sampled_pricing() -> Pricing:
    """With time windows, and a meter that does not add up."""
    pricing = make_pricing(windows=True)
    pricing.samplings = {SAMPLED: Sampling(Statistic.MAX, Window.PERIOD)}
    return pricing


def run(rows: int) -> dict[str, Any]:
    """Medians of five, floor and product taking turns."""
    days = make_days(rows)
    size = sum(map(len, days.slots)) + 4 * 7 * len(days.day)

    def floor() -> pl.DataFrame:
        # Only what the sum is of is looked up for each hour.
        found = unpack(days.day, days.hours, days.slots)
        line, meter = (days.columns[name][found.row] for name in ("line", "meter"))
        frame = pl.DataFrame({"line": line, "meter": meter, "quantity": found.quantity})
        return frame.lazy().group_by("line", "meter").agg(pl.col("quantity").sum()).collect(engine="streaming")

    def rate() -> Generations:
        return make_rated(days, sampled_pricing())

    times: dict[str, list[float]] = {name: [] for name in ("floor", "seconds", "unpacking")}
    # First, before earlier runs leave memory behind that can be used again.
    peak, least = _peak(rate), _peak(floor)
    charges = parts = 0
    for _ in range(RUNS):
        _measured(times["floor"], floor)
        _measured(times["unpacking"], partial(unpacked, days, sampled_pricing()))
        made = _measured(times["seconds"], rate)
        charges, parts = len(made.charges), made.parts.height
        del made
    medians = {name: statistics.median(each) for name, each in times.items()}
    return {
        "rows": rows,
        "seconds": medians["seconds"],
        "floor_seconds": medians["floor"],
        "ratio": medians["seconds"] / medians["floor"],
        "rows_per_second": rows / medians["seconds"],
        "peak_rss_mib": peak / 2**20,
        "peak_to_input": peak / size,
        "floor_peak_to_input": least / size,
        "unpacking_seconds": medians["unpacking"],
        **special(rows // 10),
        "packed_days": len(days.day),
        "charges": charges,
        "parts": parts,
        "cores": len(os.sched_getaffinity(0)),
    }


def special(rows: int) -> dict[str, float]:
    """The kinds that do not add up, each against its own floor: sorting its rows, or merging sorted intervals."""
    samples, spells, pricing = make_samples(rows), make_spells(rows), make_pricing()
    pricing.samplings = {slug: Sampling(Statistic.P95, Window.PERIOD) for slug in pricing.meters.values()}
    keys = ["line", "meter", "resource"]
    times: dict[str, list[float]] = {name: [] for name in ("sort", "p95", "merge", "started")}
    for _ in range(RUNS):
        _measured(times["sort"], lambda: samples.lazy().sort(*keys, "quantity").collect(engine="streaming"))
        _measured(times["p95"], lambda: sample_groups(samples, pricing))
        _measured(times["merge"], partial(_merge, spells))
        _measured(times["started"], partial(started_groups, spells, pricing))
    medians = {name: statistics.median(each) for name, each in times.items()}
    return {
        "p95_ratio": medians["p95"] / medians["sort"],
        "started_ratio": medians["started"] / medians["merge"],
        "p95_seconds": medians["p95"],
        "started_seconds": medians["started"],
    }


def _merge(spells: pl.DataFrame) -> int:
    """The least that merging costs: a sort, and a running maximum of ends."""
    rows = spells.lazy().sort("line", "meter", "resource", "start").collect(engine="streaming")
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


def make_spells(rows: int) -> pl.DataFrame:
    """Resources that run, pause and overlap, a dozen intervals each, in no order."""
    random = np.random.default_rng(8)
    start, end = (int(moment.timestamp()) for moment in PERIOD.bounds(ZONE))
    resource = np.arange(rows, dtype=np.int32) % (rows // 12)
    begin = random.integers(start, end, rows)
    return pl.DataFrame(
        {
            "line": resource % (LINES // 10),
            "meter": np.full(rows, METERS, dtype=np.int32),
            "attributes": resource % REGIONS + REGIONS * random.integers(0, 2, rows, dtype=np.int32),
            "project": resource % 3,
            "resource": resource,
            "start": begin,
            "end": begin + random.integers(1, 200_000, rows),
            "opens": np.full(rows, start),
            "closes": np.full(rows, end),
            "level": np.full(rows, 10**6),
        }
    )


def _measured(times: list[float], work: Callable[[], Any]) -> Any:
    """As a worker rates: without looking for garbage meanwhile."""
    gc.collect()
    gc.disable()
    start = time.perf_counter()
    result = work()
    times.append(time.perf_counter() - start)
    gc.enable()
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
