"""A composite and its components: in each hour charged as the whole or as what it is made of, never as both.

What a card that prices the composite says decides: as the whole, and what is a component of it in that hour, directly
or through others, is charged with it; or as its components, and it is charged with them. Where the one that should be
charged is not priced, the other is.
"""

from collections.abc import Iterator

import polars as pl

from gradumen.core.rating.charges import ALL

MOST_LEVELS = 32
"""So many links lead from a component to the outermost composite at most; of more those in the middle count for none.
"""
ROW_SCHEMA = {
    "row": pl.UInt32,
    "owner": pl.Int32,
    "resource": pl.Int32,
    "hour": pl.Int32,
    "composite": pl.Int32,
    "priced": pl.Boolean,
    "whole": pl.Boolean,
}
"""Usage of resources in hours: ``composite`` is what each is a component of, or `ALL`; ``whole`` is what its card says.

What nothing covers is not ``priced``, and as the whole. Composites and components are of the same owner.
"""
_NODE = ["owner", "resource", "hour"]


def charged_together(rows: pl.DataFrame) -> pl.DataFrame:
    """The rows that are charged with others: ``row``, and ``with``, the composite; `ALL` is its own components.

    All that is used of a component in an hour is charged with its composite, whatever meter it is of. What is a
    component of itself, through others, is one of nothing; so is what lies deeper than `MOST_LEVELS`.

    >>> app = {"row": 0, "owner": 1, "resource": 5, "hour": 9, "composite": ALL, "priced": True, "whole": True}
    >>> vms = [app | {"row": row, "resource": 6, "composite": 5, "hour": hour} for row, hour in ((1, 9), (2, 10))]
    >>> charged_together(pl.DataFrame([app, *vms], schema=ROW_SCHEMA)).rows()
    [(1, 5)]
    >>> in_pieces = pl.DataFrame([app | {"whole": False}, *vms], schema=ROW_SCHEMA)
    >>> charged_together(in_pieces).rows()
    [(0, -1)]
    """
    of = rows.filter((pl.col("composite") != ALL) & (pl.col("composite") != pl.col("resource")))
    links = _without_circles(of.select(*_NODE, "composite").unique())
    priced = rows.filter("priced").group_by(_NODE).agg(pl.col("whole").any())
    within = _within(links, priced.filter("whole").select(*_NODE))
    inside = within.select(_NODE).unique()
    with_ = _charged(within, inside)
    stated = priced.join(inside, on=_NODE, how="anti").select(_NODE)
    made_up = _above(links, stated)
    wholes = priced.filter("whole").select(_NODE)
    apart = rows.filter(~pl.col("whole")).join(made_up, on=_NODE, how="semi")
    apart = apart.join(wholes, on=_NODE, how="anti").join(inside, on=_NODE, how="anti")
    found = rows.join(with_, on=_NODE).select("row", "with")
    return pl.concat([found, apart.select("row", pl.lit(ALL, pl.Int32).alias("with"))]).sort("row")


def _without_circles(links: pl.DataFrame) -> pl.DataFrame:
    """Links but for those that lie on a circle, or between two: taken off from both ends, these are left."""
    left = links
    for _ in range(MOST_LEVELS // 2):
        above = left.select("owner", "hour", pl.col("composite").alias("resource")).unique()
        left = left.join(above, on=_NODE, how="semi")
        below = left.select("owner", "hour", pl.col("resource").alias("composite")).unique()
        left = left.join(below, on=["owner", "hour", "composite"], how="semi")
        if not left.height:
            break
    return links.join(left, on=[*_NODE, "composite"], how="anti")


def _steps(links: pl.DataFrame, found: pl.DataFrame, *, down: bool) -> Iterator[pl.DataFrame]:
    """Again and again what is one link further, of rows that name a ``resource`` in an hour."""
    here, there = ("composite", "resource") if down else ("resource", "composite")
    others = [name for name in found.columns if name not in _NODE]
    while found.height:
        joined = found.rename({"resource": "from"}).join(
            links.rename({here: "from", there: "to"}), on=["owner", "from", "hour"]
        )
        found = joined.select("owner", pl.col("to").alias("resource"), "hour", *others).unique()
        yield found


def _within(links: pl.DataFrame, wholes: pl.DataFrame) -> pl.DataFrame:
    """All that is inside of composites, with each that it is inside of as ``with``."""
    start = wholes.with_columns(pl.col("resource").alias("with"))
    return pl.concat([start.clear(), *_steps(links, start, down=True)]).unique()


def _charged(within: pl.DataFrame, inside: pl.DataFrame) -> pl.DataFrame:
    """What each is charged with: the outermost, of several the first."""
    outermost = within.join(inside, left_on=["owner", "with", "hour"], right_on=_NODE, how="anti")
    return outermost.group_by(_NODE).agg(pl.col("with").min())


def _above(links: pl.DataFrame, charged: pl.DataFrame) -> pl.DataFrame:
    """All that is made up of something that is charged."""
    return pl.concat([charged.clear(), *_steps(links, charged, down=False)]).unique()
