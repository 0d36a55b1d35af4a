"""Where feeds give way: what of the same resources others measured first."""

from collections import defaultdict
from collections.abc import Collection, Mapping

from gradumen.core.catalogue.services import Combine
from gradumen.core.metering.feed_precedences import QUARTER_SECONDS, Before, feeds_before, quarters_of
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import DAY_SECONDS, EPOCH_DAY, Sample, Span
from gradumen.store import revisions
from gradumen.store.metering import feed_precedences as store
from gradumen.store.metering import stale_usage
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.held_usage import times_of


def load_before(tx: Session) -> Before:
    """By feed those to which it gives way."""
    return revisions.kept(tx, revisions.FEEDS, lambda: feeds_before(store.precedences(tx)))


def with_followers(tx: Session, marks: set[stale_usage.Mark], before: Before) -> set[stale_usage.Mark]:
    """Marks, with those of the same resources as feeds have measured them that give way to the feeds of these."""
    if not before or not marks:
        return marks
    followers: dict[int, list[int]] = defaultdict(list)
    for feed, others in before.items():
        for each in others:
            followers[each].append(feed)
    return store.with_followers(tx, marks, followers)


def measured_before(tx: Session, span: Span, combine: Combine, before: Before) -> Mapping[int, Collection[int]]:
    """By resource of a span the quarters of an hour, counted from 1970, in which a feed before its own measured it."""
    if not before:
        return {}
    known = store.feeds_of_resources(tx, span.resources)
    wanted = {(first, name) for feed, name in known.values() for first in before.get(feed, ())}
    others = store.resources_called(tx, wanted)
    if not others:
        return {}
    theirs = tuple(sorted(others.values()))
    if combine is Combine.HELD:
        touched = quarters_of(times_of(tx, span.meter, theirs, span.first))
    else:
        rows = stale_usage.samples(tx, Span(span.meter, span.first, span.last, theirs), LONGEST)
        touched = quarters_of(Sample(0, row[0], row[1], row[3], row[4], 0) for row in rows)
    found: dict[int, set[int]] = defaultdict(set)
    for resource, (feed, name) in known.items():
        for first, starts_on in before.get(feed, {}).items():
            begin = (starts_on - EPOCH_DAY).days * DAY_SECONDS // QUARTER_SECONDS
            found[resource] |= {each for each in touched.get(others.get((first, name), 0), ()) if each >= begin}
    return found
