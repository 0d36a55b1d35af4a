"""Which feed counts where several measure the same: one gives way to another, hour by hour, resource by resource.

What a feed measured in an hour in which one before it measured the same resource and meter is kept, and compared; it
is nobody's and charged to nobody.
"""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from datetime import date

from gradumen.core.errors import Conflict
from gradumen.core.metering.usage import DAY_HOURS, HOUR_SECONDS, QUARTERS, DayKey, Sample, UsageDay

COMPARED = -1
"""In place of a project's number, of what a feed measured that gives way there."""
MOST_BEFORE = 20
"""Feeds to which one gives way."""
QUARTER_SECONDS = HOUR_SECONDS // QUARTERS
Before = Mapping[int, Mapping[int, date]]
"""By feed those that are before it, each from a UTC day on."""


def feeds_before(pairs: Iterable[tuple[int, int, date]]) -> dict[int, dict[int, date]]:
    """By feed all that are before it, directly or because one before it gives way to them.

    Args:
        pairs: a feed, one to which it gives way, and from which UTC day.

    Raises:
        Conflict: some give way to each other in a circle.

    >>> may, june = date(2026, 5, 1), date(2026, 6, 1)
    >>> feeds_before([(3, 2, may), (2, 1, june)])[3] == {2: may, 1: june}
    True
    """
    direct: dict[int, dict[int, date]] = {}
    for feed, first, starts_on in pairs:
        direct.setdefault(feed, {})[first] = starts_on
    found: dict[int, dict[int, date]] = {}
    for feed in direct:
        before: dict[int, date] = {}
        waiting = list(direct[feed].items())
        while waiting:
            first, starts_on = waiting.pop()
            if first == feed:
                raise Conflict("feeds cannot give way to each other in a circle; leave one of them out", field="to")
            if first not in before or starts_on < before[first]:
                before[first] = starts_on
                waiting += [(each, max(starts_on, since)) for each, since in direct.get(first, {}).items()]
        found[feed] = before
    return found


def quarters_of(samples: Iterable[Sample]) -> dict[int, set[int]]:
    """By resource the quarters of an hour, counted from 1970, that readings touch.

    >>> quarters_of([Sample(1, 7, 1, 1000, 2701, 5)])
    {7: {1, 2, 3}}
    """
    found: dict[int, set[int]] = {}
    for each in samples:
        quarters = range(each.start // QUARTER_SECONDS, (each.end - 1) // QUARTER_SECONDS + 1)
        found.setdefault(each.resource, set()).update(quarters)
    return found


def give_way(days: Mapping[DayKey, UsageDay], measured: Mapping[int, Collection[int]]) -> dict[DayKey, UsageDay]:
    """The days, with what is measured by a feed before in those of `COMPARED`.

    A day of which anything is left keeps its count of readings.

    Args:
        measured: by resource, the quarters of an hour in which a feed before measured the same.

    >>> days = {(5, 7, 0, 1): UsageDay(slots={0: 4, 1: 6}, readings=2)}
    >>> for key, day in give_way(days, {7: {5}}).items():
    ...     print(key[0], day.slots, day.readings)
    5 {0: 4} 2
    -1 {1: 6} 0
    """
    found: dict[DayKey, UsageDay] = {}
    if not measured:
        return dict(days)
    for key, day in days.items():
        there = set(measured.get(key[1], ()))
        each = 1 if day.by_quarter else QUARTERS
        first = key[2] * DAY_HOURS * QUARTERS
        gone = {slot for slot in day.slots if there.intersection(range(first + slot * each, first + (slot + 1) * each))}
        if not gone:
            found[key] = day
            continue
        rest = {slot: quantity for slot, quantity in day.slots.items() if slot not in gone}
        if rest:
            found[key] = replace(day, slots=rest)
        compared = {slot: quantity for slot, quantity in day.slots.items() if slot in gone}
        _add(found, (COMPARED, *key[1:]), replace(day, slots=compared, readings=0 if rest else day.readings))
    return found


def _add(found: dict[DayKey, UsageDay], key: DayKey, day: UsageDay) -> None:
    """Add what several owners had of a resource; by quarters where one of them is."""
    was = found.get(key)
    if was is None:
        found[key] = day
        return
    fine = was.by_quarter or day.by_quarter
    slots: dict[int, int] = {}
    for each in (was, day):
        for slot, quantity in each.slots.items():
            place = slot * QUARTERS if fine and not each.by_quarter else slot
            slots[place] = slots.get(place, 0) + quantity
    found[key] = UsageDay(slots, was.readings + day.readings, fine)
