"""Usage made again from readings where something changed, in bounded batches, and how current it is."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.metering.feed_precedences import Before, give_way
from gradumen.core.metering.kinds import UNKNOWN
from gradumen.core.metering.ownership import NOBODY
from gradumen.core.metering.packed_days import pack
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import EPOCH_DAY, Divisions, Sample, Span, combine_days, spans_of
from gradumen.store.metering import stale_usage
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.spells import spells_behind
from gradumen.store.metering.usage import meter_rows
from gradumen.store.pairs import raise_pairs
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.store.waiting import usage_waits
from gradumen.usecases.metering.day_shares import Dividing
from gradumen.usecases.metering.held_usage import HeldSpan
from gradumen.usecases.metering.measured_before import load_before, measured_before, with_followers
from gradumen.usecases.metering.owners import owners_by_rule
from gradumen.usecases.scope import Caller, business_now
from gradumen.wire.metering.usage import AsOf

BATCH = 2000
"""Marks worked off in one transaction, with all others of the same."""
DAY = timedelta(days=1)


def refresh_usage(uow: UnitOfWork, *, at: datetime) -> int:
    """Work off marks until none is left; gives how many. Safe to run beside itself and new readings."""
    done = 0
    while count := refresh_batch(uow, at=at):
        done += count
    return done


@use_case
def refresh_batch(tx: Session, *, at: datetime) -> int:
    """Make the usage of the oldest marks again; gives how many marks that were.

    Rivals over the same resources queue, so whoever comes later reads what the one before it wrote; a reading that
    comes in meanwhile has a mark of its own, which stays. A quiet mark changes nothing of what is charged: it only
    puts usage of before into today's form. What holds until it changes goes on where more has been told since; what
    is divided by what was made again is marked in its turn.
    """
    marks = stale_usage.next_marks(tx, BATCH)
    behind = spells_behind(tx, BATCH)
    if not marks and not behind:
        return 0
    before = load_before(tx)
    wanted = with_followers(tx, {*behind, *(mark for mark, _ in marks.values())}, before)
    changed = with_followers(tx, {*behind, *(mark for mark, quiet in marks.values() if not quiet)}, before)
    dividing = Dividing(tx, at, {meter for _, meter, _ in wanted})
    stale_usage.lock_resources(tx, {resource for resource, _, _ in wanted})
    _raise(tx, _make(tx, changed, before, dividing))
    dividing.mark_dependents()
    _make(tx, wanted - changed, before, dividing)
    stale_usage.drop_marks(tx, marks)
    return len(marks) + len(behind)


def _make(tx: Session, marks: set[stale_usage.Mark], before: Before, dividing: Dividing) -> set[tuple[int, date]]:
    """Make the usage of marks again; gives the projects, by number, and days that have or had any."""
    combine = {number: Combine(meter.combine) for number, meter in meter_rows(tx).items()} if marks else {}
    bound = archived_before(tx)
    # Of what is archived not all readings are there: usage of those days stays as it is.
    marks = {
        each
        for each in marks
        if each[1] != UNKNOWN and (bound is None or each[2] >= bound or combine[each[1]] is Combine.HELD)
    }
    by_quarter = stale_usage.kept_by_quarter(tx) if marks else set()
    touched: set[tuple[int, date]] = set()
    # In time: what holds goes on from what was made of the days before.
    for span in sorted(spans_of(marks), key=lambda each: each.first):
        there = _make_again(tx, span, combine[span.meter], by_quarter, before, dividing)
        dividing.made(span, {day for _, day in there})
        touched |= there
    return touched


def _make_again(
    tx: Session, span: Span, combine: Combine, by_quarter: set[int], before: Before, dividing: Dividing
) -> set[tuple[int, date]]:
    """Replace the usage of a span; gives the projects, by number, and days that have or had any."""
    divisions = Divisions()
    held = HeldSpan(tx, span) if combine is Combine.HELD else None
    span = held.span if held else span
    owned = owned_samples(tx, span.meter, held.rows if held else stale_usage.samples(tx, span, LONGEST), divisions)
    kept = divisions.by_quarter(by_quarter)
    touched = stale_usage.take_out(tx, span)
    values = []
    days = combine_days(held.samples(owned) if held else owned, combine, kept)
    made = divisions.divide(days, by_quarter, dividing.of_span(divisions, days, span))
    elsewhere = measured_before(tx, span, combine, before)
    made = give_way(made, elsewhere)
    if held:
        held.store_spells(owned, divisions, elsewhere, kept)
    for project, resource, number, attributes in sorted(made):
        usage = made[project, resource, number, attributes]
        day = EPOCH_DAY + timedelta(days=number)
        if span.first <= day <= span.last:
            hours, slots = pack(usage.slots, by_quarter=usage.by_quarter)
            total = unscaled(sum(usage.slots.values()), QUANTITY_PLACES)
            values.append((project, span.meter, day, resource, attributes, hours, slots, total, usage.readings))
            touched.add((project, day))
    stale_usage.put_in(tx, values)
    return touched


def owned_samples(tx: Session, meter: int, rows: Sequence[tuple[Any, ...]], divisions: Divisions) -> list[Sample]:
    """Readings of a meter, each with its owner: the one that it names, else that of a rule for the day it starts on.

    Args:
        rows: resource, attributes, origin, start and end in seconds from 1970, millionths.
        divisions: numbers what a rule divides among several.
    """
    owners, amounts = stale_usage.origins_of(tx, {row[2] for row in rows})
    by_rule = owners_by_rule(tx, meter, {row[:4] for row in rows if row[2] not in owners})
    found = []
    for resource, attributes, origin, start, end, quantity in rows:
        project = owners.get(origin)
        if project is None:
            shares = by_rule.get((resource, attributes, origin, start))
            project = NOBODY if shares is None else divisions.number(shares)
        found.append(Sample(project, resource, attributes, start, end, int(quantity), amount=origin in amounts))
    return found


def _raise(tx: Session, touched: set[tuple[int, date]]) -> None:
    """What the organisations are charged for these days, in any zone, may have changed."""
    owners = stale_usage.organisations_by_number(tx, {project for project, _ in touched})
    months: dict[UUID, set[date]] = defaultdict(set)
    for project, day in touched:
        if project in owners:
            months[owners[project]] |= {each.replace(day=1) for each in (day - DAY, day, day + DAY)}
    raise_pairs(tx, months)


@use_case
def count_marks(tx: Session) -> int:
    """How many marks wait."""
    return stale_usage.count_marks(tx)


def usage_as_of(tx: Session, caller: Caller) -> AsOf:
    """Up to when readings are counted, in business time, and whether any wait."""
    waiting, oldest = usage_waits(tx, business_now(tx, caller.at))
    return AsOf(as_of=business_now(tx, oldest or caller.at), waiting=waiting)
