"""Time that a resource spends in named phases, charged in whole steps once begun.

Intervals of the same resource that touch or overlap are one spell; a step of time belongs to the version, day and
period in which it begins, so that nothing is charged twice where a spell crosses a boundary.
"""

from math import prod

import numpy as np
import polars as pl

from gradumen.core.catalogue.rates import MICRO
from gradumen.core.rating.groups import Array, run_numbers, run_starts

SPELL_SCHEMA = {
    "line": pl.Int32,
    "meter": pl.Int32,
    "attributes": pl.Int32,
    "project": pl.Int32,
    "resource": pl.Int32,
    "phase": pl.Int32,
    "start": pl.Int64,
    "end": pl.Int64,
}
"""Intervals of resources in a phase (a number); times in seconds from 1970, half-open."""


def kinds_of(rates: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Which spells are alike for all rates that price them, so that they need to be found only once.

    Args:
        rates: ``card, meter, attributes, phase``, and the ``rate`` that prices that, with ``step, since, until``.

    Returns:
        ``card, meter, attributes, phase, kind``, and ``kind, rate, step, since, until``. A kind has all versions of a
        price, unless one of these rates also prices what another kind is: then each rate is a kind.

    >>> rates = pl.DataFrame(
    ...     [(1, 2, attributes, 0, 5, 3600, 0, 100) for attributes in (8, 9)],
    ...     schema=["card", "meter", "attributes", "phase", "rate", "step", "since", "until"], orient="row",
    ... )
    >>> kinds, prices = kinds_of(rates)
    >>> kinds["kind"].to_list(), prices.rows()
    ([0, 0], [(0, 5, 3600, 0, 100)])
    """
    what, how = ("card", "meter", "attributes", "phase"), ("rate", "step", "since", "until")
    lists: dict[tuple[int, ...], list[tuple[int, ...]]] = {}
    for row in rates.select(*what, *how).iter_rows():
        lists.setdefault(row[:4], []).append(row[4:])
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
    """Whole steps of time begun, in millionths of seconds.

    Args:
        intervals: ``line, kind, project, resource, start, end``.
        rates: of each ``kind`` its ``rate``, with the ``step`` in seconds, and from when (``since``) to when
            (``until``) it holds.
        cuts: ascending times; steps are counted apart between each two.

    Returns:
        ``line, rate, project, resource, cut, quantity``; ``cut`` is the index of the time before.

    Two intervals that touch are one spell of 5,400 seconds: two hours are begun, not three.

    >>> interval = {"line": 1, "kind": 0, "project": 1, "resource": 7}
    >>> seen = pl.DataFrame([interval | {"start": 0, "end": 3000}, interval | {"start": 3000, "end": 5400}])
    >>> hourly = pl.DataFrame([{"kind": 0, "rate": 3, "step": 3600, "since": 0, "until": 10**6}])
    >>> started_time(seen, hourly, np.array([0, 10**6]))["quantity"].to_list()
    [7200000000]
    """
    keys = ("line", "rate", "project", "resource")
    merged = (
        _merged(intervals)
        .join(rates, on="kind")
        .filter((pl.col("start") < pl.col("until")) & (pl.col("end") > pl.col("since")))
    )
    if not merged.height:
        return pl.DataFrame(schema={**dict.fromkeys((*keys, "cut"), pl.Int64), "quantity": pl.Int128})
    start, end, step, since, until = (merged[name].to_numpy() for name in ("start", "end", "step", "since", "until"))
    low, high = np.maximum(start, since), np.minimum(end, until)
    if len(cuts) == 2:
        index, cut = np.arange(merged.height), np.zeros(merged.height, dtype=np.int64)
    else:
        from_cut = np.clip(np.searchsorted(cuts, low, side="right") - 1, 0, len(cuts) - 2)
        to_cut = np.clip(np.searchsorted(cuts, high, side="left"), from_cut, len(cuts) - 1)
        count = to_cut - from_cut
        index = np.repeat(np.arange(merged.height), count)
        cut = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + np.repeat(from_cut, count)
        start, step, low, high = start[index], step[index], low[index], high[index]
    inside_from, inside_to = np.maximum(low, cuts[cut]), np.minimum(high, cuts[cut + 1])
    steps = _begun(inside_to - start, step) - _begun(inside_from - start, step)
    found = (merged.select(keys) if len(cuts) == 2 else merged.select(keys)[index]).with_columns(
        pl.Series("cut", cut), pl.Series("quantity", np.maximum(steps, 0) * step * MICRO)
    )
    return found.filter(pl.col("quantity") > 0).with_columns(pl.col("quantity").cast(pl.Int128))


def _merged(intervals: pl.DataFrame) -> pl.DataFrame:
    """Intervals of a line, kind, project and resource that touch or overlap as one, with ``start`` and ``end``."""
    keys = ("line", "kind", "project", "resource")
    if not intervals.height:
        return intervals.select(*keys, "start", "end")
    columns = {name: intervals[name].to_numpy() for name in (*keys, "start", "end")}
    resource = _codes(columns, keys)
    order = _order(resource, columns["start"])
    resource, begins, ends = resource[order], columns["start"][order], columns["end"][order]
    first = _spells(resource, begins, ends)
    kept = {name: columns[name][order[first]] for name in keys}
    return pl.DataFrame({**kept, "start": begins[first], "end": np.maximum.reduceat(ends, first)})


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


def _spells(resource: Array, start: Array, end: Array) -> Array:
    """Where a new spell begins: another resource, or after a gap."""
    size = len(start)
    first = run_starts(resource)
    group = run_numbers(first, size)
    origin = int(start.min())
    span = int(end.max()) - origin + 1
    reached = np.maximum.accumulate(group * span + (end - origin))
    begins = np.zeros(size, dtype=bool)
    begins[1:] = group[1:] * span + (start[1:] - origin) > reached[:-1]
    begins[first] = True
    return np.flatnonzero(begins)


def _begun(seconds: Array, step: Array) -> Array:
    return -(-seconds // step)
