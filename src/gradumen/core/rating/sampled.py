"""Meters that do not simply add up: the statistic of their hourly samples, as quantities that rates then price.

A sample is a resource's usage of an hour. The statistic of a window's samples (nearest rank for the 95th percentile)
counts for every hour that was sampled, so that a month at a steady level costs what the level costs.
"""

import polars as pl

from gradumen.core.catalogue.sampling import Across, Sampling, Statistic, Window
from gradumen.core.errors import Invalid

_PARTS = 4 * 750**2
"""Fractions with denominators up to 750, the hours of a period, differ by more than one in so many parts."""


def largest(values: pl.Series) -> int:
    """The largest of whole numbers; 0 where there are none."""
    found = values.max()
    return found if isinstance(found, int) else 0


def sampled(rows: pl.DataFrame, sampling: Sampling) -> pl.DataFrame:
    """Quantities of meters from their samples.

    Args:
        rows: usage with ``scope, meter, line, rate, project, resource, day, hour, quantity``, at least one, of meters
            that are all sampled so; rows of one resource, rate and hour add up to its sample.

    Returns:
        ``line, rate, project, resource, day, quantity``: what counts of each resource and day.

    The highest sample of a day counts for both hours that were sampled.

    >>> row = {"scope": 1, "meter": 2, "line": 3, "rate": 4, "project": 5, "resource": 6, "day": 20_000}
    >>> rows = pl.DataFrame([row | {"hour": 480_000, "quantity": 7}, row | {"hour": 480_001, "quantity": 9}])
    >>> sampled(rows, Sampling(Statistic.MAX, Window.DAY, Across.SUM))["quantity"].to_list()
    [18]
    """
    codes = _Codes(rows, sampling.window)
    hourly = codes.hourly(rows)
    if sampling.across is Across.DISTINCT:
        first = hourly.group_by("who").agg(pl.col("both").sort_by("hour", "both").first())
        return codes.parts(first.with_columns(pl.lit(10**6, dtype=pl.Int128).alias("quantity")))
    values = {
        Statistic.SUM: pl.col("quantity").sum(),
        Statistic.MAX: pl.col("quantity").max(),
        Statistic.MEAN: pl.col("quantity").cast(pl.Int128).sum() // pl.len().cast(pl.Int128),
        Statistic.P95: pl.col("quantity").sort().get((pl.len() * 95 + 99) // 100 - 1),
    }
    found_values = [values[sampling.statistic].alias("value")]
    ranked = ["value"]
    if sampling.statistic is Statistic.MEAN:
        total, count = pl.col("quantity").cast(pl.Int128).sum(), pl.len().cast(pl.Int128)
        found_values.append((total % count * _PARTS // count).alias("beyond"))
        ranked.append("beyond")
    value = hourly.group_by("who").agg(found_values)
    if sampling.across is Across.MAX:
        value = (
            value.with_columns(codes.scope_and_window().alias("together"))
            .sort(*ranked, "who", descending=[*(True for _ in ranked), False])
            .group_by("together", maintain_order=True)
            .first()
        )
    if sampling.statistic in (Statistic.SUM, Statistic.MEAN):
        used = hourly.group_by("both").agg(pl.col("who").first(), pl.col("quantity").sum().cast(pl.Int128))
        return codes.parts(used.join(value.select("who"), on="who", how="semi"))
    counted = hourly.group_by("both").agg(pl.len().alias("hours"))
    found = counted.with_columns(codes.who()).join(value.select("who", "value"), on="who")
    steady = pl.col("value").cast(pl.Int128) * pl.col("hours").cast(pl.Int128)
    return codes.parts(found.with_columns(steady.alias("quantity")))


class _Codes:
    """Whole numbers for a resource, its meter and window (``who``), for line, rate and day (place), and for ``both``.

    Grouping by one number is several times as fast as by nine.
    """

    def __init__(self, rows: pl.DataFrame, window: Window) -> None:
        def size(name: str) -> int:
            return largest(rows[name]) + 1

        self.meters, self.rates = size("meter"), size("rate")
        self.projects, self.resources = size("project"), size("resource")
        self.first_day, self.first_hour = -largest(-rows["day"]), -largest(-rows["hour"])
        self.days = size("day") - self.first_day
        windows = {
            Window.HOUR: (pl.col("hour") - self.first_hour, size("hour") - self.first_hour),
            Window.DAY: (pl.col("day") - self.first_day, self.days),
            Window.PERIOD: (pl.lit(0), 1),
        }
        self.window, self.windows = windows[window]
        most = size("scope") * self.meters * self.projects * self.resources * self.windows
        self.places = size("line") * self.rates * self.days
        self.kind = pl.Int64 if most * self.places < 2**63 else pl.Int128
        if max(most, self.places) >= 2**62:
            raise Invalid("so many resources are rated in parts", field="resource", value=most)

    def hourly(self, rows: pl.DataFrame) -> pl.DataFrame:
        """One row for each resource, rate and hour."""

        def whole(name: str) -> pl.Expr:
            return pl.col(name).cast(pl.Int64)

        meter = whole("scope") * self.meters + whole("meter")
        resource = (meter * self.projects + whole("project")) * self.resources + whole("resource")
        place = (whole("line") * self.rates + whole("rate")) * self.days + (whole("day") - self.first_day)
        proven = largest(rows["quantity"]) * rows.height < 2**63
        who = resource * self.windows + self.window.cast(pl.Int64)
        coded = rows.lazy().select(
            (who.cast(self.kind) * self.places + place).alias("both"),
            "hour",
            pl.col("quantity").cast(pl.Int64 if proven else pl.Int128),
        )
        summed = coded.group_by("both", "hour").agg(pl.col("quantity").sum())
        return summed.with_columns(self.who()).collect(engine="streaming")

    def who(self) -> pl.Expr:
        """The ``who`` of ``both``."""
        return (pl.col("both") // self.places).cast(pl.Int64).alias("who")

    def scope_and_window(self) -> pl.Expr:
        """What a meter's resources come together in, of a ``who``."""
        own = pl.col("who") // (self.projects * self.resources * self.windows)
        return own * self.windows + pl.col("who") % self.windows

    def parts(self, found: pl.DataFrame) -> pl.DataFrame:
        """Codes as what they stand for."""
        resource = pl.col("who") // self.windows
        place = (pl.col("both") % self.places).cast(pl.Int64)
        named = {
            "line": place // self.days // self.rates,
            "rate": place // self.days % self.rates,
            "project": resource // self.resources % self.projects,
            "resource": resource % self.resources,
            "day": place % self.days + self.first_day,
        }
        return found.select(*(code.cast(pl.Int32).alias(name) for name, code in named.items()), "quantity")
