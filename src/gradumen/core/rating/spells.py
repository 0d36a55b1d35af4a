"""Time that a resource is there, or in some phase, charged in whole steps once begun.

Intervals of the same resource that touch or overlap are one spell; a step of time belongs to the line, version, day and
period in which it begins, so that nothing is charged twice where a spell crosses a boundary.
"""

from math import prod

import numpy as np
import polars as pl

from gradumen.core.rating.groups import Array, run_numbers, run_starts

SPELL_SCHEMA = {
    "line": pl.Int32,
    "meter": pl.Int32,
    "attributes": pl.Int32,
    "project": pl.Int32,
    "resource": pl.Int32,
    "start": pl.Int64,
    "end": pl.Int64,
    "opens": pl.Int64,
    "closes": pl.Int64,
    "level": pl.Int128,
}
"""Intervals of resources at a level, in millionths of base units; times in seconds from 1970, half-open.

The line takes what of an interval lies between ``opens`` and ``closes``: nothing where the interval is there only
because the spell begins with it.
"""


def kinds_of(rates: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Which spells are alike for all rates that price them, so that they need to be found only once.

    Args:
        rates: ``card, meter, attributes``, and the ``rate`` that prices that, with ``step, since, until``.

    Returns:
        ``card, meter, attributes, kind``, and ``kind, rate, step, since, until``. A kind has all versions of a price,
        unless one of these rates also prices what another kind is: then each rate is a kind.

    >>> rates = pl.DataFrame(
    ...     [(1, 2, attributes, 5, 3600, 0, 100) for attributes in (8, 9)],
    ...     schema=["card", "meter", "attributes", "rate", "step", "since", "until"], orient="row",
    ... )
    >>> kinds, prices = kinds_of(rates)
    >>> kinds["kind"].to_list(), prices.rows()
    ([0, 0], [(0, 5, 3600, 0, 100)])
    """
    what, how = ("card", "meter", "attributes"), ("rate", "step", "since", "until")
    lists: dict[tuple[int, ...], list[tuple[int, ...]]] = {}
    for row in rates.select(*what, *how).iter_rows():
        lists.setdefault(row[:3], []).append(row[3:])
    numbers: dict[tuple[tuple[int, ...], ...], int] = {}
    of_rate: dict[int, set[int]] = {}
    kinds = [numbers.setdefault(tuple(each), len(numbers)) for each in lists.values()]
    for prices, kind in numbers.items():
        for price in prices:
            of_rate.setdefault(price[0], set()).add(kind)
    if any(len(each) > 1 for each in of_rate.values()):
        apart = rates.with_columns(pl.col("rate").alias("kind"))
        return apart.select(*what, "kind"), apart.select("kind", *how).unique()
    keys = pl.DataFrame(list(lists), schema=dict.fromkeys(what, pl.Int32), orient="row")
    rows = [(kind, *price) for prices, kind in numbers.items() for price in prices]
    schema = {"kind": pl.Int32, "rate": pl.Int32, "step": pl.Int64, "since": pl.Int64, "until": pl.Int64}
    return keys.with_columns(pl.Series("kind", kinds, dtype=pl.Int32)), pl.DataFrame(rows, schema=schema, orient="row")


def started_time(intervals: pl.DataFrame, rates: pl.DataFrame, cuts: Array) -> pl.DataFrame:
    """Whole steps of time begun times the level, in millionths.

    Args:
        intervals: ``line, kind, project, resource, start, end, opens, closes, level``.
        rates: of each ``kind`` its ``rate``, with the ``step`` in seconds, and from when (``since``) to when
            (``until``) it holds.
        cuts: ascending times; steps are counted apart between each two.

    Returns:
        ``line, rate, project, resource, cut, quantity``; ``cut`` is the index of the time before.

    Two intervals that touch are one spell of 5,400 seconds: two hours are begun, not three.

    >>> interval = {"line": 1, "kind": 0, "project": 1, "resource": 7, "opens": 0, "closes": 10**6, "level": 10**6}
    >>> seen = pl.DataFrame([interval | {"start": 0, "end": 3000}, interval | {"start": 3000, "end": 5400}])
    >>> hourly = pl.DataFrame([{"kind": 0, "rate": 3, "step": 3600, "since": 0, "until": 10**6}])
    >>> started_time(seen, hourly, np.array([0, 10**6]))["quantity"].sum()
    7200000000
    """
    keys = ("line", "rate", "project", "resource")
    pieces = _united(intervals).filter(pl.col("opens") < pl.col("closes"))
    rows = pieces.join(rates, on="kind").filter(
        (pl.col("opens") < pl.col("until")) & (pl.col("closes") > pl.col("since"))
    )
    if not rows.height:
        return pl.DataFrame(schema={**dict.fromkeys((*keys, "cut"), pl.Int64), "quantity": pl.Int128})
    begin, step, low, high = (rows[name].to_numpy() for name in ("begin", "step", "opens", "closes"))
    low, high = np.maximum(low, rows["since"].to_numpy()), np.minimum(high, rows["until"].to_numpy())
    if len(cuts) == 2:
        index, cut = np.arange(rows.height), np.zeros(rows.height, dtype=np.int64)
    else:
        from_cut = np.clip(np.searchsorted(cuts, low, side="right") - 1, 0, len(cuts) - 2)
        to_cut = np.clip(np.searchsorted(cuts, high, side="left"), from_cut, len(cuts) - 1)
        count = to_cut - from_cut
        index = np.repeat(np.arange(rows.height), count)
        cut = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + np.repeat(from_cut, count)
        begin, step, low, high = begin[index], step[index], low[index], high[index]
    inside_from, inside_to = np.maximum(low, cuts[cut]), np.minimum(high, cuts[cut + 1])
    steps = np.maximum(_begun(inside_to - begin, step) - _begun(inside_from - begin, step), 0)
    columns = rows.select(*keys, "level")
    found = (columns if len(cuts) == 2 else columns[index]).with_columns(
        pl.Series("cut", cut), pl.Series("seconds", steps * step)
    )
    begun = found.filter(pl.col("seconds") > 0)
    quantity = pl.col("seconds").cast(pl.Int128) * pl.col("level").cast(pl.Int128)
    return begun.select(*keys, "cut", quantity.alias("quantity"))


def _united(intervals: pl.DataFrame) -> pl.DataFrame:
    """What lines take of intervals, in time, each with when its spell begins (``begin``).

    A line may take an interval in several windows. What an earlier part of the spell has already is no part of a later
    one.
    """
    keys = ("line", "kind", "project", "resource", "level")
    if not intervals.height:
        return intervals.with_columns(begin=pl.lit(0, dtype=pl.Int64))
    columns = {name: intervals[name].to_numpy() for name in (*keys[:-1], "start", "end", "opens", "closes")}
    # Levels may be larger than the numbers that sorting is quick with.
    columns["level"] = intervals["level"].rank("dense").to_numpy().astype(np.int64)
    resource = _codes(columns, keys)
    order = _order(resource, columns["start"])
    resource, start, end, opens, closes = (
        each[order] for each in (resource, *(columns[name] for name in ("start", "end", "opens", "closes")))
    )
    first, _ = _spells(resource, start, end)
    begin = start[first][run_numbers(first, len(start))]
    opens, closes = np.maximum(opens, start), np.minimum(closes, end)
    taken = np.flatnonzero(opens < closes)
    if not len(taken):
        return intervals.clear().with_columns(begin=pl.lit(0, dtype=pl.Int64))
    taken = taken[_order(resource[taken], opens[taken])]
    _, before = _spells(resource[taken], opens[taken], closes[taken])
    return intervals[order][taken].with_columns(
        pl.Series("begin", begin[taken]),
        pl.Series("opens", np.maximum(opens[taken], before)),
        pl.Series("closes", closes[taken]),
    )


def _codes(columns: dict[str, Array], keys: tuple[str, ...]) -> Array:
    """A number for each line, kind, project and resource."""
    sizes = [int(columns[name].max()) + 1 for name in keys]
    if prod(sizes) >= 2**62:
        return np.unique(np.stack([columns[name] for name in keys]), axis=1, return_inverse=True)[1].ravel()
    code = np.zeros(len(columns[keys[0]]), dtype=np.int64)
    for name, size in zip(keys, sizes, strict=True):
        code = code * size + columns[name]
    return code


def _order(resource: Array, start: Array) -> Array:
    """Rows by resource and start; by one number where that has room for both."""
    origin = int(start.min())
    span = int(start.max()) - origin + 1
    if (int(resource.max()) + 1) * span >= 2**62:
        return np.lexsort((start, resource))
    return np.argsort(resource * span + (start - origin), kind="stable")


def _spells(resource: Array, start: Array, end: Array) -> tuple[Array, Array]:
    """Where a new spell begins (another resource, or after a gap), and how far earlier intervals of each reached."""
    size = len(start)
    first = run_starts(resource)
    group = run_numbers(first, size)
    origin = int(start.min())
    span = int(end.max()) - origin + 1
    reached = np.maximum.accumulate(group * span + (end - origin))
    begins = np.zeros(size, dtype=bool)
    begins[1:] = group[1:] * span + (start[1:] - origin) > reached[:-1]
    begins[first] = True
    before = np.full(size, origin, dtype=np.int64)
    before[1:] = np.where(begins[1:], origin, reached[:-1] - group[1:] * span + origin)
    return np.flatnonzero(begins), before


def _begun(seconds: Array, step: Array) -> Array:
    return -(-seconds // step)
