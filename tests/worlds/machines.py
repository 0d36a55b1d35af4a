"""What the time of machines costs on a link, that is there or in a phase until it is said otherwise, by plain fractions."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from itertools import pairwise
from math import ceil

from tests.worlds.spans import Cell, Span, cell_of, day_start, held, seconds
from tests.worlds.used import Month, Told, Use
from tests.worlds.worlds import LAST, STEPS, Customer, Family, Link, Version

TOLD_UNTIL = datetime(LAST.year, LAST.month, LAST.day, tzinfo=UTC) + timedelta(days=2)
"""As far as all has been said."""


@dataclass(frozen=True)
class Spell:
    """A machine of a project in a phase at a level, without a break."""

    told: Told
    start: datetime
    end: datetime


def machine_time(
    family: Family, link: Link, covered: list[Span], month: Month
) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """What machines cost by rate, version and stretch: awake by begun steps, which go on through all; else by seconds."""
    awake: dict[Cell, Fraction] = {}
    parked: dict[Cell, Fraction] = {}
    for customer in family.below(link):
        for spell in spells(customer):
            for start, end, cell in pieces(customer, spell.told, spell.start, spell.end, link, covered, month):
                version = link.versions[cell[0]]
                if spell.told.phase == "parked" and version.parked is not None:
                    hours = Fraction(seconds(start, end) * spell.told.level, 3600)
                    parked[cell] = parked.get(cell, Fraction(0)) + hours * version.parked
                if spell.told.phase == "awake" and version.awake is not None:
                    step = STEPS[version.step]
                    begun = steps_before(spell.start, end, step) - steps_before(spell.start, start, step)
                    hours = Fraction(begun * step * spell.told.level, 3600)
                    awake[cell] = awake.get(cell, Fraction(0)) + hours * version.awake
    yield "awake", awake
    yield "parked", parked


def steps_before(begin: datetime, moment: datetime, step: int) -> int:
    """How many steps from a beginning on begin before a moment."""
    return ceil(Fraction(seconds(begin, moment), step))


def spells(customer: Customer) -> Iterator[Spell]:
    """What holds of each machine, from one thing that is said to the next that says otherwise."""
    for machine in {each.resource for each in customer.told}:
        said = sorted((each for each in customer.told if each.resource == machine), key=lambda each: each.order)
        last: Spell | None = None
        for now, following in pairwise([*said, replace(said[-1], moment=TOLD_UNTIL)]):
            if now.moment >= following.moment or not now.phase:
                continue
            found = Spell(now, now.moment, following.moment)
            if last and last.end == found.start and alike(last.told, now):
                last = replace(last, end=found.end)
                continue
            if last:
                yield last
            last = found
        if last:
            yield last


def alike(one: Told, other: Told) -> bool:
    return (one.project, one.phase, one.level) == (other.project, other.phase, other.level)


def pieces(
    customer: Customer,
    of: Told | Use,
    begin: datetime,
    stop: datetime,
    link: Link,
    covered: list[Span],
    month: Month,
    *,
    if_priced: Callable[[Version], bool] | None = None,
) -> Iterator[tuple[datetime, datetime, Cell]]:
    """The parts of what goes on from a moment to another that each stretch and version takes."""
    own = [span for span in covered if span.customer is customer]
    turns = {moment for span in own for moment in (span.start, span.end)}
    turns |= {moment for number in range(len(link.versions)) for moment in held(link, number, month)}
    turns |= {day_start(day, link.zone) for rule in customer.assigned for day in (rule.starts_on, rule.ends_on)}
    inside = sorted({begin, stop, *(each for each in turns if begin < each < stop)})
    for start, end in pairwise(inside):
        cell = cell_of(customer, replace(of, moment=start), link, covered, month, if_priced=if_priced)
        if cell is not None:
            yield start, end, cell
