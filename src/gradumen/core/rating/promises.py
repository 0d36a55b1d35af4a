"""What quotas promise, over time and down the tree: of what a buyer may have, each below it has its own share.

A limit lies inside that of whoever gave it. So of a buyer's 400, of which it gave 100 and 50 on, 250 are its own; the
three are the 400 that its seller promised it. Where more was given on than there is (a giver may overbook), what there
is is divided in proportion. All levels are whole numbers.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Generic, TypeVar

import numpy as np
import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.exact import allocate

Key = TypeVar("Key")
Levels = dict[str, int]
"""How much at which place; with no name, at none in particular."""
HOUR = 3600


@dataclass(frozen=True, slots=True)
class Change(Generic[Key]):
    """From a second on (counted from 1970) a holder may have ``level``: None is no limit, or nothing given.

    In all, or at a ``place``.
    """

    at: int
    holder: Key
    place: str
    level: int | None


@dataclass(frozen=True, slots=True)
class Share(Generic[Key]):
    """From one second up to another, a holder's own share of what was promised is ``level`` at a place."""

    holder: Key
    place: str
    start: int
    end: int
    level: int


def levels_of(whole: int | None, places: Mapping[str, int]) -> Levels | None:
    """What a limit in all, and limits at places inside it, promise; None where there is no limit.

    What of the whole is at no place is at none in particular. Limits at places that come to more than the whole, of
    which a holder may choose, share it in proportion.

    >>> levels_of(10, {"north": 4}), levels_of(10, {"north": 12, "south": 8}), levels_of(None, {})
    ({'': 6, 'north': 4}, {'north': 6, 'south': 4}, None)
    """
    if whole is None:
        return dict(places) or None
    names = sorted(places)
    inside = sum(places.values())
    if inside > whole:
        return dict(zip(names, allocate(whole, [places[each] for each in names]), strict=True))
    return {"": whole - inside, **{each: places[each] for each in names}}


def share_out(levels: Levels, wanted: Sequence[Levels]) -> tuple[list[Levels], Levels]:
    """What each of several has of some levels, and what is left of them.

    Each has all that it wants, where that is there, else its part in proportion. At a place that has too little of it,
    and of what it wants nowhere in particular, it has what others leave: that of no place first, then by place.

    >>> share_out({"": 6, "north": 4}, [{"": 5}, {"": 3, "north": 2}])
    ([{'': 5}, {'north': 4, '': 1}], {'': 0, 'north': 0})
    >>> share_out({"": 10}, [{"": 12}, {"": 3}])
    ([{'': 8}, {'': 2}], {'': 0})
    """
    totals, whole = [sum(each.values()) for each in wanted], sum(levels.values())
    if sum(totals) > whole:
        totals = allocate(whole, totals)
    asks = [
        dict(zip(sorted(each), allocate(total, [each[place] for place in sorted(each)]), strict=True)) if each else {}
        for each, total in zip(wanted, totals, strict=True)
    ]
    left, found = dict(levels), [defaultdict[str, int](int) for _ in wanted]
    for place in sorted({place for each in asks for place in each if place in left and place}):
        here = [each.get(place, 0) for each in asks]
        for own, given in zip(found, allocate(left[place], here) if sum(here) > left[place] else here, strict=True):
            own[place] += given
            left[place] -= given
    for own, total in zip(found, totals, strict=True):
        for place in sorted(left):
            given = min(left[place], total - sum(own.values()))
            own[place] += given
            left[place] -= given
    return [{place: level for place, level in own.items() if level} for own in found], left


def own_shares(
    top: Key, below: Callable[[Key], Sequence[Key]], levels: Mapping[Key, Levels], given: Levels | None = None
) -> Iterator[tuple[Key, str, int]]:
    """Of what the topmost may have, the own share of each holder at each place; nothing where it has no limit.

    Args:
        below: who is right below a holder. Whoever has no limit is passed over: those below it have theirs from above.
        given: what the topmost has; None is all that it may have.

    >>> tree = {"top": ["a", "b"], "a": ["c"]}
    >>> limits = {"top": {"": 400}, "a": {"": 100}, "b": {"": 50}, "c": {"": 30}}
    >>> list(own_shares("top", lambda each: tree.get(each, []), limits))
    [('c', '', 30), ('a', '', 70), ('b', '', 50), ('top', '', 250)]
    """
    has = levels.get(top) if given is None else given
    if has is None:
        return
    limited = list(_limited(top, below, levels))
    parts, left = share_out(has, [levels[each] for each in limited])
    for holder, part in zip(limited, parts, strict=True):
        yield from own_shares(holder, below, levels, part)
    yield from ((top, place, level) for place, level in left.items() if level)


def _limited(top: Key, below: Callable[[Key], Sequence[Key]], levels: Mapping[Key, Levels]) -> Iterator[Key]:
    for each in below(top):
        if each in levels:
            yield each
        else:
            yield from _limited(each, below, levels)


def levels_over(changes: Iterable[Change[Key]], start: int, end: int) -> Iterator[tuple[int, int, dict[Key, Levels]]]:
    """What every holder may have, from each second at which it changes up to the next.

    Args:
        changes: of one second in the order in which they came.

    >>> seen = [Change(0, "a", "", 5), Change(7, "a", "", 9), Change(8, "a", "north", 2)]
    >>> list(levels_over(seen, 5, 10))
    [(5, 7, {'a': {'': 5}}), (7, 8, {'a': {'': 9}}), (8, 10, {'a': {'': 7, 'north': 2}})]
    """
    known: dict[Key, tuple[int | None, dict[str, int]]] = {}
    levels: dict[Key, Levels] = {}
    by_second: dict[int, list[Change[Key]]] = defaultdict(list)
    for change in sorted(changes, key=lambda each: each.at):
        by_second[max(change.at, start)].append(change)
    edges = sorted({start, end, *(each for each in by_second if start < each < end)})
    for since, until in pairwise(edges):
        for change in by_second.get(since, ()):
            whole, places = known.get(change.holder, (None, {}))
            if not change.place:
                whole = change.level
            elif change.level is None:
                places.pop(change.place, None)
            else:
                places[change.place] = change.level
            known[change.holder] = whole, places
            found = levels_of(whole, places)
            levels.pop(change.holder, None)
            if found is not None:
                levels[change.holder] = found
        yield since, until, dict(levels)


def limits_over(changes: Iterable[Change[Key]], start: int, end: int) -> list[Share[Key]]:
    """The limits themselves that there were in a span of time, from one second up to another.

    >>> seen = [Change(0, "a", "", 5), Change(7, "a", "", 9), Change(9, "a", "", None)]
    >>> [(each.start, each.end, each.level) for each in limits_over(seen, 5, 20)]
    [(5, 7, 5), (7, 9, 9)]
    """
    of_each: dict[tuple[Key, str], list[Change[Key]]] = defaultdict(list)
    for change in sorted(changes, key=lambda each: each.at):
        of_each[change.holder, change.place].append(change)
    found = []
    for (holder, place), own in of_each.items():
        ends = [*(each.at for each in own[1:]), end]
        for change, until in zip(own, ends, strict=True):
            since, until = max(change.at, start), min(until, end)
            if change.level is not None and since < until:
                found.append(Share(holder, place, since, until, change.level))
    return found


@dataclass(frozen=True, slots=True)
class Era(Generic[Key]):
    """From a second on, up to the next era: the buyers, and who is right below whom."""

    start: int
    buyers: Sequence[Key]
    below: Callable[[Key], Sequence[Key]]


def shares_over(changes: Sequence[Change[Key]], start: int, end: int, eras: Sequence[Era[Key]]) -> Iterator[Share[Key]]:
    """Each holder's own shares from one second up to another; of what buyers have, all of it and no more.

    >>> eras = [Era(0, ["top"], lambda each: ["a"] if each == "top" else [])]
    >>> seen = [Change(0, "top", "", 9), Change(4, "a", "", 2)]
    >>> sorted((each.holder, each.start, each.end, each.level) for each in shares_over(seen, 0, 10, eras))
    [('a', 4, 10, 2), ('top', 0, 4, 9), ('top', 4, 10, 7)]
    """
    in_order = sorted(changes, key=lambda each: each.at)
    ends = [*(era.start for era in eras[1:]), end]
    for era, until in zip(eras, ends, strict=True):
        since, before = max(era.start, start), min(until, end)
        if since < before:
            found = plain_shares(in_order, since, before, era)
            yield from shares_by_second(in_order, since, before, era) if found is None else found


def plain_shares(changes: Sequence[Change[Key]], start: int, end: int, era: Era[Key]) -> list[Share[Key]] | None:
    """Shares of an era where nothing is divided: of each what it may have, less what those right below it may.

    None where that is not all there is to it: where there are limits at places, more was given on than there is, or
    somebody without limit has one below it that has. Then each change is a look at everybody, `shares_by_second`.

    Args:
        changes: in the order of time.
    """
    if any(change.place for change in changes):
        return None
    levels: dict[Key, dict[int, int | None]] = defaultdict(dict)
    for change in changes:
        if change.at < end:
            levels[change.holder][max(change.at, start)] = change.level
    above = _above(era)
    passed_on: dict[Key, dict[int, int]] = defaultdict(lambda: defaultdict(int))
    found: list[Share[Key]] = []
    # Those below stand after those above them.
    for holder in reversed(above):
        own, given = levels.get(holder, {}), passed_on.get(holder, {})
        level, rest, before, since = None, 0, 0, start
        for second in sorted({*own, *given}):
            was, level = level or 0, own.get(second, level)
            before += given.get(second, 0)
            share = (level or 0) - before
            if share < 0:
                return None
            if (parent := above[holder]) is not None:
                passed_on[parent][second] += (level or 0) - was
            if rest and rest != share:
                found.append(Share(holder, "", since, second, rest))
            if rest != share:
                rest, since = share, second
        if rest:
            found.append(Share(holder, "", since, end, rest))
    return found


def _above(era: Era[Key]) -> dict[Key, Key | None]:
    """All of an era, each after the one that is right above it."""
    found: dict[Key, Key | None] = dict.fromkeys(era.buyers)
    waiting = list(era.buyers)
    while waiting:
        holder = waiting.pop()
        for each in era.below(holder):
            found[each] = holder
            waiting.append(each)
    return found


def shares_by_second(changes: Sequence[Change[Key]], start: int, end: int, era: Era[Key]) -> Iterator[Share[Key]]:
    """Shares of an era, looked at anew at each second at which anything changes."""
    begun: dict[tuple[Key, str], tuple[int, int]] = {}
    for since, _, levels in levels_over(changes, start, end):
        now: dict[tuple[Key, str], int] = {}
        for buyer in era.buyers:
            now |= {(holder, place): level for holder, place, level in own_shares(buyer, era.below, levels)}
        for key in [key for key, (_, level) in begun.items() if now.get(key) != level]:
            opened, level = begun.pop(key)
            yield Share(*key, opened, since, level)
        for key, level in now.items():
            begun.setdefault(key, (since, level))
    for key, (opened, level) in begun.items():
        yield Share(*key, opened, end, level)


def hourly(shares: Sequence[Share[Any]], beyond: int) -> pl.DataFrame:
    """Shares by hour: the ``row`` of each among them, ``hour``, and level x seconds there as ``quantity``.

    Args:
        beyond: by how many seconds hours begin before those of UTC.

    Raises:
        Invalid: they are too large to add up exactly.

    >>> hourly([Share("a", "", 1800, 5400, 2)], 0).rows()
    [(0, 0, 3600), (0, 1, 3600)]
    """
    largest = max((share.level for share in shares), default=0)
    if largest * HOUR * max(len(shares), 1) >= 2**126:
        raise Invalid("what quotas promise is too large to add up exactly", field="limit", value=largest)
    first = np.array([(share.start + beyond) // HOUR for share in shares], dtype=np.int64)
    last = np.array([-(-(share.end + beyond) // HOUR) for share in shares], dtype=np.int64)
    size = last - first
    row = np.repeat(np.arange(len(shares)), size)
    hour = np.arange(len(row)) - np.repeat(np.cumsum(size) - size, size) + first[row]
    begins, ends = (
        np.array([getattr(each, name) for each in shares], dtype=np.int64)[row] for name in ("start", "end")
    )
    opens = hour * HOUR - beyond
    seconds = np.minimum(ends, opens + HOUR) - np.maximum(begins, opens)
    level = pl.Series([share.level for share in shares], dtype=pl.Int128).gather(row)
    return pl.DataFrame(
        {
            "row": pl.Series(row, dtype=pl.Int32),
            "hour": pl.Series(hour, dtype=pl.Int32),
            "quantity": level * pl.Series(seconds, dtype=pl.Int128),
        }
    )
