"""What holds until it changes: from what is said of a resource at moments to how long it was as it was said to be."""

from bisect import bisect_right
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby, pairwise
from operator import attrgetter

from gradumen.core.metering.feed_precedences import QUARTER_SECONDS
from gradumen.core.metering.usage import HOUR_SECONDS


@dataclass(frozen=True, slots=True)
class Statement:
    """That a resource has a level from a moment on: 0, it is gone.

    ``at`` in seconds from 1970, ``level`` in millionths of the unit of a reading. ``name`` and ``sequence`` tell apart
    what is said of one moment.
    """

    resource: int
    attributes: int
    origin: int
    at: int
    level: int
    sequence: int = 0
    name: str = ""


@dataclass(frozen=True, slots=True)
class Held:
    """A resource at a level from ``start`` to ``end``, as was said at ``at``; still so when ``is_open``.

    A level of 0 is where something was said of which no time came. ``is_inferred``: nobody said that it ended there,
    but it is missing in a later list of all that is there.
    """

    resource: int
    attributes: int
    origin: int
    at: int
    start: int
    end: int
    level: int
    is_open: bool = False
    is_inferred: bool = False


def held_times(
    statements: Iterable[Statement],
    told: Mapping[tuple[int, int], int],
    listed: Mapping[tuple[int, int], Sequence[int]] | None = None,
) -> list[Held]:
    """How long each resource was as statements say, whatever order these are in: until the next, or what is told.

    Of several statements about one moment the last holds: those that something is gone come first, then by sequence
    and name. That something is gone is with what it ends. What a later list misses, though nobody said that it is
    gone, ended when it was last said to be there.

    Args:
        told: by resource and origin, until when all is known that it says, in seconds from 1970.
        listed: by resource and origin, the moments of lists in which it would stand if it were there, in their order.

    >>> said = [Statement(7, 1, 5, 0, 10**6), Statement(7, 2, 5, 3600, 10**6), Statement(7, 0, 5, 9000, 0)]
    >>> [(each.attributes, each.start, each.end, each.level) for each in held_times(said, {(7, 5): 20_000})]
    [(1, 0, 3600, 1000000), (2, 3600, 9000, 1000000), (2, 9000, 9001, 0)]
    >>> lists = {(7, 5): [0, 3600, 7200]}
    >>> found = held_times(said[:2], {(7, 5): 20_000}, lists)
    >>> [(each.start, each.end, each.level, each.is_inferred) for each in found]
    [(0, 3600, 1000000, True), (3600, 3601, 0, True)]
    """
    found: list[Held] = []
    for _, group in groupby(_ordered(statements), attrgetter("resource")):
        found += _of_resource(list(group), told, listed or {})
    return found


def _ordered(statements: Iterable[Statement]) -> list[Statement]:
    return sorted(statements, key=lambda each: (each.resource, each.at, each.level > 0, each.sequence, each.name))


def _of_resource(
    statements: Sequence[Statement],
    told: Mapping[tuple[int, int], int],
    listed: Mapping[tuple[int, int], Sequence[int]],
) -> list[Held]:
    found: list[Held] = []
    before: Statement | None = None
    for each, following in pairwise([*statements, None]):
        if each is None:
            continue
        ends = before if not each.level and before is not None and before.level else each
        of = ends.resource, ends.attributes, ends.origin
        cut = bool(each.level) and _misses(listed.get((each.resource, each.origin), ()), each, following)
        end = max(each.at, told.get((each.resource, each.origin), 0)) if following is None else following.at
        if cut and found and found[-1].end == each.at:
            found[-1] = replace(found[-1], is_inferred=True)
        if each.level and not cut and (end > each.at or following is None):
            found.append(Held(*of, ends.at, each.at, end, each.level, is_open=following is None))
        if not each.level or cut or end <= each.at:
            found.append(Held(*of, ends.at, each.at, each.at + 1, 0, is_inferred=cut))
        before = each
    return found


def _misses(lists: Sequence[int], each: Statement, following: Statement | None) -> bool:
    """Whether a list after a statement misses what it says is there; that something is gone says that it was there."""
    place = bisect_right(lists, each.at)
    if place == len(lists) or (following is not None and not following.level):
        return False
    return following is None or lists[place] < following.at


def within(held: Iterable[Held], start: int, end: int) -> Iterator[Held]:
    """The parts of some times from one moment to another.

    >>> [(each.start, each.end) for each in within([Held(7, 1, 5, 0, 0, 900, 1)], 300, 600)]
    [(300, 600)]
    """
    for each in held:
        if each.start < end and each.end > start:
            yield replace(each, start=max(each.start, start), end=min(each.end, end))


@dataclass(frozen=True, slots=True)
class Spell:
    """An unbroken time of a resource at one level, with one set of attributes, of one project.

    ``run_start`` is since when the project has had it without a gap, whatever it was like.
    """

    resource: int
    project: int
    attributes: int
    start: int
    end: int
    level: int
    run_start: int
    is_open: bool = False
    is_inferred: bool = False


def spells_of(owned: Iterable[tuple[int, Held]], before: Iterable[Spell]) -> list[Spell]:
    """Times with their projects as spells: those alike that touch are one.

    Args:
        owned: of each resource in their order.
        before: those that are there up to the first of these.

    >>> pieces = [(3, Held(7, 1, 5, 0, 0, 60, 1)), (3, Held(7, 1, 5, 60, 60, 90, 1)), (4, Held(7, 1, 5, 90, 90, 95, 1))]
    >>> [(each.project, each.start, each.end, each.run_start) for each in spells_of(pieces, [])]
    [(3, 0, 90, 0), (4, 90, 95, 90)]
    """
    found: list[Spell] = []
    last = {(each.resource, each.project): each for each in before}
    for project, held in owned:
        of = held.resource, project
        was = last.get(of)
        goes_on = was is not None and was.end == held.start
        run = was.run_start if was is not None and goes_on else held.start
        new = Spell(
            held.resource, project, held.attributes, held.start, held.end, held.level, run, held.is_open,
            held.is_inferred,
        )  # fmt: skip
        if was is not None and goes_on and _alike(was, new):
            new = replace(new, start=was.start)
        elif was is not None:
            found.append(was)
        last[of] = new
    return [*found, *last.values()]


def _alike(one: Spell, other: Spell) -> bool:
    return (one.attributes, one.level) == (other.attributes, other.level)


def giving_way(held: Held, measured: Collection[int], *, by_quarter: bool) -> Iterator[tuple[bool, Held]]:
    """The parts of a time, each with whether a feed before measured the same then.

    Args:
        measured: quarters of an hour, counted from 1970; without ``by_quarter`` each of them is its whole hour.

    >>> parts = giving_way(Held(7, 1, 5, 0, 0, 9000, 1), {5}, by_quarter=False)
    >>> [(gone, each.start, each.end) for gone, each in parts]
    [(False, 0, 3600), (True, 3600, 7200), (False, 7200, 9000)]
    """
    if held.start == held.end:
        yield False, held
        return
    length = QUARTER_SECONDS if by_quarter else HOUR_SECONDS
    gone = {quarter * QUARTER_SECONDS // length for quarter in measured}
    slots = range(held.start // length, (held.end - 1) // length + 1)
    for away, run in groupby(slots, lambda slot: slot in gone):
        there = list(run)
        start, end = max(held.start, there[0] * length), min(held.end, (there[-1] + 1) * length)
        last = end == held.end
        yield (
            away,
            replace(held, start=start, end=end, is_open=held.is_open and last, is_inferred=held.is_inferred and last),
        )
