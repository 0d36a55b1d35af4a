"""What the levels of sampled meters cost on a link, by plain fractions."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from fractions import Fraction
from math import ceil

from tests.worlds.samplings import SAMPLED, Sampled
from tests.worlds.spans import ZERO, Cell, Span, cell_of
from tests.worlds.used import Level, Month
from tests.worlds.worlds import QUARTER, Family, Link

Who = tuple[str, str]
"""Project and resource."""
Samples = dict[Who, list[tuple[datetime, Cell, Fraction]]]
"""Of each the hours of the seller's clocks, the version and stretch, and what it was then, in GiB-hours."""


def sampled(
    family: Family, link: Link, covered: list[Span], month: Month
) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """What each sampled meter costs by version and stretch; the statistic goes over all stretches of a subscription."""
    for meter, how in SAMPLED.items():
        amounts: dict[Cell, Fraction] = defaultdict(Fraction)
        for samples in by_window(family, link, covered, meter, how, month).values():
            for cell, quantity in counted(how, samples):
                amounts[cell] += quantity * link.versions[cell[0]].peaks[meter]
        yield meter, amounts


def by_window(
    family: Family, link: Link, covered: list[Span], meter: str, how: Sampled, month: Month
) -> dict[tuple[object, ...], Samples]:
    """The samples that a rate prices, by subscription and window of the seller's clocks."""
    hourly: dict[tuple[Who, datetime, Cell], Fraction] = defaultdict(Fraction)
    for customer in family.below(link):
        for piece in (piece for level in customer.levels if level.meter == meter for piece in quarters(level)):
            cell = cell_of(customer, piece, link, covered, month)
            if cell is not None and meter in link.versions[cell[0]].peaks:
                local = piece.moment.astimezone(link.zone)
                hour = piece.moment - timedelta(minutes=local.minute)
                who = (f"{customer.slug}/{piece.project}", piece.resource)
                hourly[who, hour, cell] += Fraction(piece.quantity, 4)
    windows: dict[tuple[object, ...], Samples] = defaultdict(lambda: defaultdict(list))
    for (who, hour, cell), quantity in sorted(hourly.items()):
        day = hour.astimezone(link.zone).date()
        window = {"hour": hour, "day": day, "period": None}[how.window]
        windows[*covered[cell[1]].scope(""), window][who].append((hour, cell, quantity))
    return windows


def counted(how: Sampled, samples: Samples) -> Iterator[tuple[Cell, Fraction]]:
    """What counts of a window's samples; of resources that are alike the first is the highest."""
    values = {who: statistic(how, [quantity for _, _, quantity in of]) for who, of in samples.items()}
    highest = min(values, key=lambda who: (-values[who], who))
    for who, of in samples.items():
        if how.across == "distinct":
            yield of[0][1], Fraction(1)
        elif how.across == "sum" or who == highest:
            for _, cell, quantity in of:
                yield cell, quantity if how.statistic == "mean" else values[who]


def statistic(how: Sampled, samples: list[Fraction]) -> Fraction:
    """Of a resource's samples; the 95th percentile by its nearest rank."""
    if how.statistic == "p95":
        return sorted(samples)[ceil(Fraction(95 * len(samples), 100)) - 1]
    total = sum(samples, ZERO)
    return {"max": max(samples), "sum": total, "mean": total / len(samples)}[how.statistic]


def quarters(level: Level) -> Iterator[Level]:
    for number in range(level.quarters):
        yield replace(level, moment=level.moment + number * QUARTER, quarters=1)
