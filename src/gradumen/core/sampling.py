"""Meters that do not simply add up: the statistic of their hourly samples, as quantities that rates then price.

A sample is a resource's usage of an hour. The statistic of a window's samples (nearest rank for the 95th percentile)
counts for every hour that was sampled, so that a month at a steady level costs what the level costs.
"""

from dataclasses import dataclass
from enum import StrEnum

import polars as pl


class Statistic(StrEnum):
    """What of a window's samples counts."""

    SUM = "sum"
    MAX = "max"
    P95 = "p95"


class Window(StrEnum):
    """Over how long the statistic is taken; days are the seller's."""

    HOUR = "hour"
    DAY = "day"
    PERIOD = "period"


class Across(StrEnum):
    """How the resources of a subscription come together."""

    SUM = "sum"
    MAX = "max"
    DISTINCT = "distinct"


@dataclass(frozen=True, slots=True)
class Sampling:
    """How samples become a quantity: within a window, then across resources."""

    statistic: Statistic = Statistic.SUM
    window: Window = Window.HOUR
    across: Across = Across.SUM

    @property
    def additive(self) -> bool:
        """Whether it is a plain sum."""
        return self.statistic is Statistic.SUM and self.across is Across.SUM


ADDITIVE = Sampling()
"""A plain sum."""


def sampled(rows: pl.LazyFrame, sampling: Sampling) -> pl.LazyFrame:
    """Quantities of one meter from its samples.

    Args:
        rows: hourly usage with ``scope, line, rate, project, resource, day, hour, quantity``.

    Returns:
        ``line, rate, project, resource, day, quantity``: what counts of each resource and day.
    """
    window = {Window.HOUR: ["day", "hour"], Window.DAY: ["day"], Window.PERIOD: []}[sampling.window]
    whose = ["scope", "project", "resource", *window]
    keys = ["line", "rate", "project", "resource", "day"]
    hourly = rows.group_by("scope", *keys, "hour").agg(pl.col("quantity").sum())
    if sampling.across is Across.DISTINCT:
        first = (
            hourly.sort("hour", "line", "rate")
            .group_by(whose, maintain_order=True)
            .agg(*(pl.col(name).first() for name in keys if name not in whose))
        )
        return first.select(*keys, pl.lit(10**6, dtype=pl.Int128).alias("quantity"))
    values = {
        Statistic.SUM: pl.col("quantity").sum(),
        Statistic.MAX: pl.col("quantity").max(),
        Statistic.P95: pl.col("quantity").sort().get((pl.len() * 95 + 99) // 100 - 1),
    }
    steady = 1 if sampling.statistic is Statistic.SUM else pl.col("hours").cast(pl.Int128)
    value = hourly.group_by(whose).agg(values[sampling.statistic].alias("value"))
    counted = hourly.group_by([*keys, *(name for name in whose if name not in keys)]).agg(
        pl.len().alias("hours"), pl.col("quantity").sum().alias("used")
    )
    if sampling.across is Across.MAX:
        highest = ["scope", *window]
        value = (
            value.sort("value", "project", "resource", descending=[True, False, False])
            .group_by(highest, maintain_order=True)
            .first()
        )
    found = counted.join(value, on=whose, how="inner", nulls_equal=True)
    quantity = pl.col("used") if sampling.statistic is Statistic.SUM else pl.col("value").cast(pl.Int128) * steady
    return found.select(*keys, quantity.cast(pl.Int128).alias("quantity"))
