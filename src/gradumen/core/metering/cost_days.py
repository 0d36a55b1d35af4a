"""Whose costs are, by day: rows of cost files that are alike, with their owners, and as they are sold."""

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from fractions import Fraction

import polars as pl

from gradumen.core.exact import allocate, divide_half_up
from gradumen.core.metering.ownership import NOBODY, Shares

ALIKE = {
    "set_id": pl.Int64,
    "month": pl.Date,
    "day": pl.Date,
    "resource_id": pl.Int64,
    "origin_id": pl.Int64,
    "attribute_set_id": pl.Int64,
    "category": pl.String,
    "commitment": pl.Int8,
    "currency": pl.String,
    "billed": pl.Int128,
    "effective": pl.Int128,
    "rows": pl.Int64,
}
"""Sums of rows of a set that are alike; costs in 10**-12 of their currency."""
WHOSE = ("resource_id", "attribute_set_id", "origin_id", "day")
"""What says whose a row is."""
_COSTS = ("billed", "effective")
Rates = Mapping[tuple[int, str, date], Decimal | None]
"""What a unit of a currency is worth in the one in which a set is sold on its day; by set; None: nobody says."""


def cost_days(alike: pl.DataFrame, owners: Mapping[tuple[int, int, int, date], Shares], rates: Rates) -> pl.DataFrame:
    """Rows by whose they are: what is divided sums to the whole, and the first of those who share it has its count.

    ``number`` counts within a set. ``sold_billed`` and ``sold_effective`` are null where there is no rate.

    >>> row = (1, date(2026, 9, 1), date(2026, 9, 3), 5, 6, 7, "Usage", 0, "GBP", 10, 10, 2)
    >>> alike = pl.DataFrame([row], schema=ALIKE, orient="row")
    >>> shares = {(5, 7, 6, date(2026, 9, 3)): ((21, 1), (22, 2))}
    >>> days = cost_days(alike, shares, {(1, "GBP", date(2026, 9, 3)): Decimal("1.5")})
    >>> days.select("number", "project_number", "billed", "sold_billed", "rows").rows()
    [(0, 21, 3, 5, 2), (1, 22, 7, 11, 0)]
    """
    rows = alike.with_row_index("at").join(_places(owners), on=WHOSE, how="left", maintain_order="left")
    listed = list(dict.fromkeys(owners.values()))
    alone = {place: shares[0][0] for place, shares in enumerate(listed) if len(shares) == 1}
    shared = pl.col("place").is_not_null() & ~pl.col("place").is_in(list(alone))
    project = pl.col("place").replace_strict(alone, default=NOBODY, return_dtype=pl.Int64)
    whole = rows.filter(~shared).with_columns(project.alias("project_number"))
    if rows.select(shared.any()).item():
        whole = pl.concat([whole, _divided(rows.filter(shared), listed)]).sort("at", maintain_order=True)
    whole = whole.with_columns((pl.int_range(pl.len()).over("set_id")).alias("number"))
    return _sold(whole, rates).drop("at", "place")


def _places(owners: Mapping[tuple[int, int, int, date], Shares]) -> pl.DataFrame:
    """Whose things are, each by its place among the distinct shares."""
    places = {shares: place for place, shares in enumerate(dict.fromkeys(owners.values()))}
    schema = {**{each: ALIKE[each] for each in WHOSE}, "place": pl.Int32}
    return pl.DataFrame([(*key, places[shares]) for key, shares in owners.items()], schema=schema, orient="row")


def _divided(rows: pl.DataFrame, listed: Sequence[Shares]) -> pl.DataFrame:
    """Rows that are shared, one for each who shares."""
    found = []
    for row in rows.iter_rows(named=True):
        shares = listed[row["place"]]
        weights = [weight for _, weight in shares]
        billed, effective = (allocate(row[cost], weights) for cost in _COSTS)
        for place, (project, _) in enumerate(shares):
            part = {"billed": billed[place], "effective": effective[place], "rows": 0 if place else row["rows"]}
            found.append({**row, **part, "project_number": project})
    return pl.DataFrame(found, schema={**rows.schema, "project_number": pl.Int64})


def _sold(rows: pl.DataFrame, rates: Rates) -> pl.DataFrame:
    """Rows with their costs as they are sold."""
    parts = []
    for (number, currency, day), part in rows.group_by("set_id", "currency", "day", maintain_order=True):
        rate = rates[number, currency, day]
        parts.append(part.with_columns(_converted(part[cost], rate).alias(f"sold_{cost}") for cost in _COSTS))
    return pl.concat(parts)


def _converted(costs: pl.Series, rate: Decimal | None) -> pl.Series:
    """Costs in another currency, each to 12 places, half up."""
    if rate is None:
        return pl.Series([None] * costs.len(), dtype=pl.Int128)
    if rate == 1:
        return costs
    exact = Fraction(rate)
    values = (divide_half_up(each * exact.numerator, exact.denominator) for each in costs.to_list())
    return pl.Series(list(values), dtype=pl.Int128)
