"""Columns of whole numbers: groups of usage, runs of equal keys, and sums that stay exact."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[Any]
LIMB = 31
"""Bits of a limb: 2**31 rows of them add up inside 63 bits."""
NARROW = 1 << 62
"""Whole numbers below this, and twice them, fit 64 bits."""


@dataclass(frozen=True, slots=True)
class Groups:
    """Sums of usage, one row per line (and project, where a rate counts per project) and rate."""

    line: Array
    project: Array
    rate: Array
    quantity: Array


def chosen(groups: Groups, rows: Array) -> Groups:
    """Some of the rows."""
    return Groups(**{name: getattr(groups, name)[rows] for name in Groups.__slots__})


def joined(groups: Sequence[Groups]) -> Groups:
    """Rows under each other, one for each line, project and rate."""
    columns = {name: np.concatenate([getattr(each, name) for each in groups]) for name in Groups.__slots__}
    return merged(Groups(**columns))


def merged(groups: Groups) -> Groups:
    """One row for each line, project and rate.

    >>> one, two = np.array([1, 1]), np.array([0, 0])
    >>> merged(Groups(one, two, two, np.array([5, 6]))).quantity.tolist()
    [11]
    """
    if not len(groups.line):
        return groups
    keys = ("rate", "project", "line")
    rows = chosen(groups, np.lexsort([getattr(groups, name) for name in keys]))
    first = run_starts(*(getattr(rows, name) for name in keys))
    summed = fitted(np.add.reduceat(rows.quantity.astype(object), first))
    kept = chosen(rows, first)
    return Groups(kept.line, kept.project, kept.rate, summed)


def fitted(values: Array) -> Array:
    """Whole numbers in 64 bits where they all fit twice over, else as Python's, which have no bound.

    >>> fitted(np.array([1, 2], dtype=object)).dtype, fitted(np.array([1 << 70], dtype=object)).dtype
    (dtype('int64'), dtype('O'))
    """
    if values.dtype != object or (len(values) and not (min(values) > -NARROW and max(values) < NARROW)):
        return values
    return values.astype(np.int64)


def run_starts(*keys: Array) -> Array:
    """Where a new run of equal keys begins.

    >>> run_starts(np.array([4, 4, 5, 5]), np.array([1, 1, 1, 2])).tolist()
    [0, 2, 3]
    """
    size = len(keys[0])
    if size == 0:
        return np.zeros(0, dtype=np.int64)
    new = np.zeros(size, dtype=bool)
    new[0] = True
    for key in keys:
        new[1:] |= key[1:] != key[:-1]
    return np.flatnonzero(new)


def run_numbers(first: Array, size: int) -> Array:
    """The number of the run that each row belongs to.

    >>> run_numbers(np.array([0, 2, 3]), 4).tolist()
    [0, 0, 1, 2]
    """
    mark = np.zeros(size, dtype=np.int64)
    mark[first[1:]] = 1
    return np.cumsum(mark)


def run_sums(values: Array, first: Array) -> Array:
    """The sum of each run.

    >>> run_sums(np.array([1, 2, 3, 4]), np.array([0, 2, 3])).tolist()
    [3, 3, 4]
    """
    if len(first) == len(values):
        return values
    return fitted(np.add.reduceat(values.astype(object), first))


def running(values: Array, first: Array, number: Array) -> Array:
    """Sums up to and including each row, from the start of its run.

    >>> running(np.array([1, 2, 3, 4]), np.array([0, 2]), np.array([0, 0, 1, 1])).tolist()
    [1, 3, 3, 7]
    """
    if len(first) == len(values):
        return values
    total = np.cumsum(values if _total_fits(values) else values.astype(object))
    return fitted(total - (total[first] - values[first])[number])


def _total_fits(values: Array) -> bool:
    if values.dtype == object:
        return False
    return (int((values >> LIMB).sum()) << LIMB) + int((values & (1 << LIMB) - 1).sum()) < 2**63
