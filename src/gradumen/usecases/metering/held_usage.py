"""Usage of what holds until it changes: as long as feeds have told, and the spells that are made with it."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from functools import cached_property

from gradumen.core.exact import allocate
from gradumen.core.metering.feed_precedences import COMPARED
from gradumen.core.metering.held import Held, Statement, giving_way, held_times, spells_of
from gradumen.core.metering.usage import DAY_SECONDS, EPOCH_DAY, Divisions, Sample, Span
from gradumen.store.metering import spells as store
from gradumen.store.metering.listings import lists_of
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.spells import Watermark, held_meters
from gradumen.store.unit_of_work import Session


@dataclass(frozen=True, slots=True)
class HeldTimes:
    """What is said of resources from a UTC day on, what was said last before, and how long they were so."""

    statements: Sequence[Statement]
    watermarks: Mapping[tuple[int, int], Watermark]
    times: Sequence[Held]


def load_held(tx: Session, meter: int, resources: Collection[int], first: date) -> HeldTimes:
    """How long resources were as feeds say, from a UTC day on and since what was said last before it."""
    statements = store.statements_from(tx, meter, resources, first)
    watermarks = store.watermarks_of(tx, resources, {each.origin for each in statements})
    told = {of: each.told_until for of, each in watermarks.items()}
    since = datetime.fromtimestamp(min((each.at for each in statements), default=0), UTC)
    listed = lists_of(tx, meter, resources, {each.origin for each in statements}, since) if statements else {}
    return HeldTimes(statements, watermarks, held_times(statements, told, listed))


class HeldSpan:
    """Resources whose usage of a meter is made again from a day on: whatever is said holds until the next is said."""

    def __init__(self, tx: Session, span: Span) -> None:
        self._tx = tx
        self._loaded = load_held(tx, span.meter, span.resources, span.first)
        while (since := self._otherwise(span)) is not None:
            span = replace(span, first=since)
            self._loaded = load_held(tx, span.meter, span.resources, since)
        self._begin = (span.first - EPOCH_DAY).days * DAY_SECONDS
        told = (_day(each.told_until) for each in self._loaded.watermarks.values())
        had = store.last_day_of(tx, span.meter, span.resources, span.first)
        said = (_day(each.at) for each in self._loaded.statements)
        self.span = replace(span, last=max(span.last, had, *told, *said))
        """The days that it is made for."""

    def _otherwise(self, span: Span) -> date | None:
        """The day since which something was otherwise before these days than it was made; None where all is as it was.

        What a list misses ended when it was last seen, which may be long before; until that is said otherwise.
        """
        begin = (span.first - EPOCH_DAY).days * DAY_SECONDS
        made = store.reaching(self._tx, span.meter, span.resources, datetime.fromtimestamp(begin, UTC))
        reach = {each.resource for each in self._times if each.level and each.start < begin <= each.end}
        before = (each for each in self._loaded.statements if each.at < begin and each.resource in made ^ reach)
        return min((_day(each.at) for each in before), default=None)

    @cached_property
    def rows(self) -> list[tuple[int, ...]]:
        """Resource, attributes, origin, when it was said, until when it was so, level: as readings of other meters."""
        return [(each.resource, each.attributes, each.origin, each.at, each.end, each.level) for each in self._times]

    @property
    def _times(self) -> Sequence[Held]:
        return self._loaded.times

    def samples(self, owned: Sequence[Sample]) -> Iterator[Sample]:
        """What of the rows, each with its owner, is of these days."""
        for sample, held in zip(owned, self._times, strict=True):
            start = max(held.start, self._begin)
            if start < held.end:
                yield replace(sample, start=start, counted=held.start >= self._begin)

    def store_spells(
        self,
        owned: Sequence[Sample],
        divisions: Divisions,
        measured: Mapping[int, Collection[int]],
        by_quarter: Collection[int],
    ) -> None:
        """Put the spells of these days in the place of what was there.

        Args:
            owned: the rows, each with its owner.
            divisions: who shares what; each has a part of the level.
            measured: as `gradumen.usecases.metering.measured_before.measured_before` gives it.
            by_quarter: as `gradumen.core.metering.usage.combine_days` takes it.
        """
        span = self.span
        begin = datetime.fromtimestamp(self._begin, UTC)
        before = store.take_out_spells(self._tx, span.meter, span.resources, begin)
        pieces: list[tuple[int, Held]] = []
        for sample, held in zip(owned, self._times, strict=True):
            # What ended by then is not made again; what still goes on there does.
            if not held.level or held.end < self._begin + (not held.is_open):
                continue
            projects, weights = zip(*divisions.shares(sample.project), strict=True)
            levels = dict(zip(projects, allocate(held.level, weights), strict=True))
            inside = replace(held, start=max(held.start, self._begin))
            quarters = measured.get(held.resource, ())
            for away, part in giving_way(inside, quarters, by_quarter=sample.project in by_quarter):
                whose = {COMPARED: held.level} if away else levels
                pieces += [(project, replace(part, level=level)) for project, level in whose.items()]
        open_ones = {held.resource: self._loaded.watermarks.get((held.resource, held.origin)) for held in self._times}
        watermarks = {resource: each.number for resource, each in open_ones.items() if each is not None}
        store.put_in_spells(self._tx, span.meter, spells_of(pieces, before), watermarks)


def times_of(tx: Session, meter: int, resources: Collection[int], first: date) -> list[Sample]:
    """When resources were there, from a day on: no quantities, and nobody's."""
    found = load_held(tx, meter, resources, first).times
    return [
        Sample(0, each.resource, 0, each.start, each.end, 0) for each in found if each.level and each.start < each.end
    ]


def while_held(tx: Session, groups: Sequence[Group], first: date) -> list[Group]:
    """Groups of readings from a day on: of what holds until it changes with the last day that this went on."""
    meters = held_meters(tx)
    found: dict[tuple[int, int, int, date], date] = {}
    for meter in {each.meter for each in groups} & meters:
        of = {each.resource for each in groups if each.meter == meter}
        for held in load_held(tx, meter, of, first).times:
            key = meter, held.resource, held.origin, _day(held.start)
            found[key] = max(found.get(key, date.min), _day(max(held.start, held.end - 1)))
    return [
        replace(each, last=found.get((each.meter, each.resource, each.origin, each.day), each.last))
        if each.meter in meters
        else each
        for each in groups
    ]


def _day(seconds: int) -> date:
    return date.fromordinal(EPOCH_DAY.toordinal() + seconds // DAY_SECONDS)
