"""Parts of charges as columns that spend is summed from, made equal to lines to the minor unit."""

from collections.abc import Collection, Mapping
from dataclasses import astuple, dataclass
from datetime import timedelta

import polars as pl

from gradumen.core.exact import AMOUNT_PLACES, divide_half_up, minor_units
from gradumen.core.periods import Period
from gradumen.core.spend.spend import added_up

SPEND_SCHEMA = {
    "pair": pl.Int32(),
    "charge": pl.Int32(),
    "organisation": pl.Categorical(),
    "project": pl.Int32(),
    "plan": pl.Categorical(),
    "service": pl.Categorical(),
    "meter": pl.Categorical(),
    "resource": pl.Int32(),
    "region": pl.Categorical(),
    "day": pl.Date(),
    "currency": pl.Categorical(),
    "amount": pl.Int128(),
}
"""A row a part; ``amount`` in 10**-12 of the currency. Nought, or no text, is what a part has none of."""
PART_COLUMNS = {
    "pair": pl.Int32(),
    "charge": pl.Int32(),
    "project": pl.Int32(),
    "resource": pl.Int32(),
    "day": pl.Date(),
    "amount": pl.Int128(),
}
"""Parts as they are stored."""
_CHARGE_SCHEMA = {
    "pair": pl.Int32(),
    "charge": pl.Int32(),
    "organisation": pl.String(),
    "whole": pl.Int32(),
    "plan": pl.String(),
    "service": pl.String(),
    "meter": pl.String(),
    "currency": pl.String(),
}


@dataclass(frozen=True, slots=True)
class SpentCharge:
    """What the parts of a charge are known by; ``project`` is its subscription's, for parts that name none."""

    pair: int
    charge: int
    organisation: str
    whole: int | None
    plan: str
    service: str
    meter: str
    currency: str


def spend_columns(
    period: Period, charges: Collection[SpentCharge], parts: pl.DataFrame, regions: Mapping[tuple[int, int], str]
) -> dict[int, pl.DataFrame]:
    """The parts of pairs' charges, and of each line a part more: what rounding it to the minor unit adds.

    So any sum of whole lines is what documents say. The part more is on the last day that the line is for, and of
    no resource. A day outside the period, of a term of a quarter or year, counts as the period's nearest: what is
    charged in a month is spent in it.

    Args:
        period: that of all these pairs.
        parts: see `PART_COLUMNS`.
        regions: of projects' resources.

    Returns:
        Frames of `SPEND_SCHEMA`, by pair; pairs without parts are left out.
    """
    known = pl.DataFrame([astuple(each) for each in charges], schema=_CHARGE_SCHEMA, orient="row")
    places = pl.DataFrame(
        [(*key, region) for key, region in regions.items()],
        schema={"project": pl.Int32(), "resource": pl.Int32(), "region": pl.String},
        orient="row",
    )
    rows = (
        parts.join(known, on=["pair", "charge"])
        .join(places, on=["project", "resource"], how="left")
        .with_columns(
            pl.col("day").clip(period.first_day, period.next().first_day - timedelta(days=1)),
            pl.coalesce("project", "whole", pl.lit(0)).cast(pl.Int32).alias("project"),
            pl.col("resource").fill_null(0),
            pl.col("region").fill_null(""),
        )
        .select(*SPEND_SCHEMA)
    )
    keys = [name for name in SPEND_SCHEMA if name not in ("resource", "region", "day", "amount")]
    last_days = rows.group_by(keys).agg(pl.col("day").max())
    lines = added_up(rows, keys).join(last_days, on=keys).sort("pair", "charge", "project")
    rounding = [
        _rounding(amount, currency)
        for amount, currency in zip(lines["amount"].to_list(), lines["currency"].to_list(), strict=True)
    ]
    more = lines.with_columns(
        pl.Series("amount", rounding, dtype=pl.Int128),
        pl.lit(0, dtype=pl.Int32).alias("resource"),
        pl.lit("").alias("region"),
    ).filter(pl.col("amount") != 0)
    # Each with the texts that it has itself, and no others.
    apart = pl.concat([rows, more.select(*SPEND_SCHEMA)]).partition_by("pair", as_dict=True)
    return {pair: frame.cast(pl.Schema(SPEND_SCHEMA)) for (pair,), frame in apart.items()}


def _rounding(amount: int, currency: str) -> int:
    """What rounding a line half up to the minor unit adds to it.

    >>> _rounding(10_004_000_000_000, "EUR"), _rounding(-5_000_000_000, "EUR")
    (-4000000000, -5000000000)
    """
    unit = int(10 ** (AMOUNT_PLACES - minor_units(currency)))
    return divide_half_up(amount, unit) * unit - amount
