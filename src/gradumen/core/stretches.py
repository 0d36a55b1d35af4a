"""Time that a resource spends in named phases, charged in whole steps once begun.

Intervals of the same resource that touch or overlap are one stretch; a step of time belongs to the version, day and
period in which it begins, so that nothing is charged twice where a stretch crosses a boundary.
"""

from math import prod

import numpy as np
import polars as pl

from gradumen.core.groups import Array, run_numbers, run_starts
from gradumen.core.rates import MICRO

STRETCH_SCHEMA = {
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


def started_time(intervals: pl.DataFrame, cuts: Array) -> pl.DataFrame:
    """Whole steps of time begun, in millionths of seconds.

    Args:
        intervals: ``line, rate, project, resource, start, end``, and of the rate its ``step`` in seconds and from
            when (``since``) to when (``until``) it holds.
        cuts: ascending times; steps are counted apart between each two.

    Returns:
        ``line, rate, project, resource, cut, quantity``; ``cut`` is the index of the time before.
    """
    keys = ("line", "rate", "project", "resource")
    if not intervals.height:
        return pl.DataFrame(schema={**dict.fromkeys((*keys, "cut"), pl.Int64), "quantity": pl.Int128})
    columns = {name: intervals[name].to_numpy() for name in (*keys, "start", "end", "step", "since", "until")}
    resource = _codes(columns, keys)
    order = _order(resource, columns["start"])
    resource, begins, ends = resource[order], columns["start"][order], columns["end"][order]
    first = _stretches(resource, begins, ends)
    start, end = begins[first], np.maximum.reduceat(ends, first)
    columns = {name: columns[name][order[first]] for name in (*keys, "step", "since", "until")}
    step, since, until = (columns[name] for name in ("step", "since", "until"))
    low, high = np.maximum(start, since), np.minimum(end, until)
    from_cut = np.clip(np.searchsorted(cuts, low, side="right") - 1, 0, len(cuts) - 2)
    to_cut = np.clip(np.searchsorted(cuts, high, side="left"), from_cut, len(cuts) - 1)
    count = to_cut - from_cut
    index = np.repeat(np.arange(len(first)), count)
    cut = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + np.repeat(from_cut, count)
    inside_from, inside_to = np.maximum(low[index], cuts[cut]), np.minimum(high[index], cuts[cut + 1])
    steps = _begun(inside_to - start[index], step[index]) - _begun(inside_from - start[index], step[index])
    found = pl.DataFrame(
        {
            **{name: columns[name][index] for name in keys},
            "cut": cut,
            "quantity": np.maximum(steps, 0) * step[index] * MICRO,
        }
    )
    return found.filter(pl.col("quantity") > 0).with_columns(pl.col("quantity").cast(pl.Int128))


def _codes(columns: dict[str, Array], keys: tuple[str, ...]) -> Array:
    """A number for each line, rate, project and resource."""
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


def _stretches(resource: Array, start: Array, end: Array) -> Array:
    """Where a new stretch begins: another resource, or after a gap."""
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
