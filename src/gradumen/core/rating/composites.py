"""A composite and its components: in each hour charged as the whole or as what it is made of, never as both.

What a card that prices the composite says decides: as the whole, and what is a component of it in that hour, directly
or through others, is charged with it; or as its components, and it is charged with them. Where the one that should be
charged is not priced, the other is.
"""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import polars as pl

from gradumen.core.rating.charges import ALL
from gradumen.core.rating.groups import Array, run_starts

NOBODY = np.iinfo(np.int32).max
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
BLOCK = 24
"""So many hours are looked at together: each of them is by itself."""


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
    found = [rows.select("row").clear().with_columns(pl.lit(ALL, pl.Int32).alias("with"))]
    ordered = rows.sort("hour")
    block = ordered["hour"].to_numpy() // BLOCK
    bounds = [*run_starts(block).tolist(), rows.height] if rows.height else []
    for first, last in pairwise(bounds):
        found.append(_of_block(ordered[first:last]))
    return pl.concat(found).sort("row")


def _of_block(rows: pl.DataFrame) -> pl.DataFrame:
    """The same of the rows of some hours in a row."""
    column = {name: rows[name].to_numpy() for name in ("owner", "resource", "composite", "hour", "priced", "whole")}
    owner, resource = column["owner"].astype(np.int64), column["resource"].astype(np.int64)
    size = int(max(resource.max(), column["composite"].max())) + 1
    keys, node = np.unique(owner * size + resource, return_inverse=True)
    hour = column["hour"] % BLOCK
    shape = (len(keys), BLOCK)
    priced, whole = np.zeros(shape, dtype=bool), np.zeros(shape, dtype=bool)
    priced[node[column["priced"]], hour[column["priced"]]] = True
    as_whole = column["priced"] & column["whole"]
    whole[node[as_whole], hour[as_whole]] = True
    links = _links(keys, node, hour, owner * size + column["composite"], column["composite"])
    if links is None:
        return rows.select("row").clear().with_columns(pl.lit(ALL, pl.Int32).alias("with"))
    inside = links.spread(whole, down=True)
    outermost = np.where(whole & ~inside, (keys % size)[:, None], NOBODY).astype(np.int32)
    outermost = links.least(outermost)
    made_up = links.spread(priced & ~inside, down=False)
    within = inside[node, hour] & (outermost[node, hour] != NOBODY)
    apart = ~column["whole"] & made_up[node, hour] & ~whole[node, hour] & ~inside[node, hour]
    with_ = np.where(within, outermost[node, hour], ALL).astype(np.int32)
    return rows.select("row").with_columns(pl.Series("with", with_)).filter(pl.Series(within | apart))


@dataclass(frozen=True, slots=True)
class _Links:
    """Which nodes are components of which, and in which of the hours; the links are in the order of components."""

    component: Array
    composite: Array
    active: Array
    by_composite: Array
    """The order of the links by composite."""

    def spread(self, start: Array, *, down: bool) -> Array:
        """All that is below, or above, of some nodes in the same hour; of themselves only where a way leads there."""
        found = np.zeros_like(start)
        while True:
            further = self._reached(start | found, down=down)
            if not (further & ~found).any():
                return found
            found |= further

    def least(self, values: Array) -> Array:
        """Of each node the least value of those that it is inside of; its own where it has one."""
        found = values
        while True:
            given = np.where(self.active, found[self.composite], NOBODY)
            starts = run_starts(self.component)
            further = found.copy()
            nodes = self.component[starts]
            further[nodes] = np.minimum(found[nodes], np.minimum.reduceat(given, starts, axis=0))
            if np.array_equal(further, found):
                return found
            found = further

    def without_circles(self) -> "_Links":
        """Links but for those that lie on a circle, or between two: taken off from both ends, these are left."""
        left, size = self.active.copy(), int(max(self.component.max(), self.composite.max())) + 1
        for _ in range(MOST_LEVELS // 2):
            now = replace(self, active=left)
            everything = np.ones((size, left.shape[1]), dtype=bool)
            left = left & now._reached(everything, down=False)[self.component]
            below = replace(self, active=left)._reached(everything, down=True)
            left = left & below[self.composite]
            if not left.any():
                break
        return replace(self, active=self.active & ~left)

    def _reached(self, start: Array, *, down: bool) -> Array:
        """What is one link further."""
        here, there = (self.composite, self.component) if down else (self.component, self.composite)
        order = np.arange(len(there)) if down else self.by_composite
        given = (self.active & start[here])[order]
        starts = run_starts(there[order])
        found = np.zeros_like(start)
        found[there[order][starts]] = np.logical_or.reduceat(given, starts, axis=0)
        return found


def _links(keys: Array, node: Array, hour: Array, above: Array, composite: Array) -> _Links | None:
    """What is a component of what: of resources that are there, and not of themselves; None where there is none."""
    place = np.minimum(np.searchsorted(keys, above), len(keys) - 1)
    there = (composite != ALL) & (keys[place] == above) & (place != node)
    if not there.any():
        return None
    pairs, number = np.unique(node[there] * np.int64(len(keys)) + place[there], return_inverse=True)
    active = np.zeros((len(pairs), BLOCK), dtype=bool)
    active[number, hour[there]] = True
    component, composites = pairs // len(keys), pairs % len(keys)
    return _Links(component, composites, active, np.argsort(composites, kind="stable")).without_circles()
