"""Which feed counts where several of a seller measure the same, and what the others measured beside it."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date, timedelta
from typing import Any

import polars as pl

from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.metering.feed_precedences import feeds_before
from gradumen.core.metering.packed_days import unpack
from gradumen.core.metering.usage import EPOCH_DAY
from gradumen.core.periods import Period, hour_number, zone_of
from gradumen.core.permissions import Right
from gradumen.store import revisions
from gradumen.store.metering import feed_precedences as store
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.tables import FeedRow
from gradumen.store.metering.usage import meter_rows
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.measured_before import load_before
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.feed_precedences import (
    ComparedMeterBody,
    ComparedResourceBody,
    FeedComparisonBody,
    FeedFirst,
    FeedPrecedencesBody,
)

EXAMPLES = 10
EARLIEST = date(2000, 1, 1)


@use_case
def list_feed_precedences(tx: Session, caller: Caller, *, organisation: str) -> list[FeedPrecedencesBody]:
    """The feeds of a seller that give way to others; for its own members.

    Raises:
        Forbidden: the caller is no member of the seller.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    rows = {row.id: row for row in feeds_of(tx, owner.id)}
    firsts: dict[int, list[tuple[FeedRow, date]]] = defaultdict(list)
    for feed, first, starts_on in store.precedences(tx):
        if feed in rows:
            firsts[feed].append((rows[first], starts_on))
    bound = archived_before(tx)
    return [_body(owner, row, firsts[row.id], bound) for row in rows.values() if row.id in firsts]


def _body(
    owner: OrganisationRow, row: FeedRow, firsts: Sequence[tuple[FeedRow, date]], bound: date | None
) -> FeedPrecedencesBody:
    to = [FeedFirst(feed=f"{owner.slug}/{each.slug}", starts_on=starts_on) for each, starts_on in firsts]
    to.sort(key=lambda each: each.feed)
    return FeedPrecedencesBody(feed=f"{owner.slug}/{row.slug}", to=to, fixed_before=bound)


@use_case
def set_feed_precedences(tx: Session, caller: Caller, *, feed: str, to: Sequence[FeedFirst]) -> FeedPrecedencesBody:
    """Let a feed give way to these, and to no other; usage of the days that it concerns is made again.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may not manage the feeds, or not change months before.
        Invalid: one is no other feed of the same seller, stands twice, or begins too early.
        Conflict: feeds would give way to each other in a circle.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    scope.require_member(Right.MANAGE_FEEDS, owner)
    revisions.revise(tx, revisions.FEEDS)
    rows = {each.id: each for each in feeds_of(tx, owner.id)}
    wanted = _read(owner, row, rows, to)
    there = store.precedences(tx)
    was, before = {first: starts_on for feed_id, first, starts_on in there if feed_id == row.id}, feeds_before(there)
    changed = [day for first in was.keys() | wanted.keys() if was.get(first) != wanted.get(first)
               for day in (was.get(first), wanted.get(first)) if day is not None]  # fmt: skip
    told = _body(owner, row, [(rows[first], starts_on) for first, starts_on in wanted.items()], archived_before(tx))
    if not changed:
        return told
    since = min(changed)
    if since < scope.now.date().replace(day=1):
        # Months that may be billed become others.
        scope.require_member(Right.BILL, owner)
    store.set_precedences(tx, row.id, wanted)
    after = feeds_before(store.precedences(tx))
    for each in {row.id, *(follower for follower, firsts in before.items() if row.id in firsts)}:
        others = before.get(each, {}).keys() | after.get(each, {}).keys()
        store.mark_measured_twice(tx, [each], others, since, caller.at)
    said = [{"to": [f"{rows[first].slug} from {day}" for first, day in sorted(each.items())]} for each in (was, wanted)]
    record(tx, caller, "feed gives way", owner.id, feed, before=said[0], after=said[1])
    return told


def _read(
    owner: OrganisationRow, row: FeedRow, rows: Mapping[int, FeedRow], to: Sequence[FeedFirst]
) -> dict[int, date]:
    """The feeds that are named, by number, each with its day."""
    numbers = {f"{owner.slug}/{each.slug}": each.id for each in rows.values() if each.id != row.id}
    found: dict[int, date] = {}
    for place, each in enumerate(to):
        number = numbers.get(each.feed)
        if number is None:
            told = f"'{each.feed[:140]}' is no other feed of '{owner.slug}'; choose one of those"
            raise Invalid(told, field=f"to[{place}].feed", value=each.feed)
        if number in found:
            raise Invalid(f"'{each.feed}' stands twice; name it once", field=f"to[{place}].feed", value=each.feed)
        if each.starts_on < EARLIEST:
            told = f"{each.starts_on} is before {EARLIEST}; choose a later day"
            raise Invalid(told, field=f"to[{place}].starts_on", value=each.starts_on)
        found[number] = each.starts_on
    return found


@use_case
def compare_feed(tx: Session, caller: Caller, *, feed: str, period: str) -> FeedComparisonBody:
    """What a feed measured in a month where it gave way, beside what counts in its place; for members of its seller.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller is no member of the feed's seller.
        Invalid: no such month.
    """
    at_one_moment(tx)
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    scope.require_member(Right.READ, owner)
    month = Period.parse(period)
    zone = zone_of(zone_name(tx, owner.id, month.first_day))
    start, end = month.bounds(zone)
    first, last = start.date(), (end - timedelta.resolution).date()
    hours = hour_number(start, zone), hour_number(end, zone)
    before = load_before(tx).get(row.id, {})
    measured = store.compared_days(tx, row.id, first, last)
    counted = store.counted_days(tx, row.id, before, first, last) if measured else []
    frames = [_by_hour(rows, hours, zone) for rows in (measured, counted)]
    current = usage_as_of(tx, caller)
    return FeedComparisonBody(
        feed=feed,
        period=month.text,
        meters=list(_compared(tx, *frames)),
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _by_hour(rows: Sequence[Any], hours: tuple[int, int], zone: Any) -> pl.DataFrame:
    """What there is of each meter and resource in each hour of a month."""
    found = unpack(
        [(row[2] - EPOCH_DAY).days for row in rows], [row[3] for row in rows], [row[4] for row in rows], zone
    )
    inside = found.within(*hours)
    frame = pl.DataFrame(
        {
            "meter": pl.Series([row[0] for row in rows], dtype=pl.Int32).gather(inside.row),
            "resource": pl.Series([row[1] for row in rows], dtype=pl.String).gather(inside.row),
            "hour": inside.hour,
            "quantity": inside.quantity.cast(pl.Int128),
        }
    )
    return frame.group_by("meter", "resource", "hour").agg(pl.col("quantity").sum())


def _compared(tx: Session, measured: pl.DataFrame, counted: pl.DataFrame) -> Iterator[ComparedMeterBody]:
    """Both, hour by hour, where the first has any."""
    keys = ["meter", "resource", "hour"]
    joined = measured.join(counted, on=keys, how="left", suffix="_counted").with_columns(
        pl.col("quantity_counted").fill_null(0)
    )
    sums = joined.group_by("meter", "resource").agg(pl.col("quantity").sum(), pl.col("quantity_counted").sum())
    published, meters = load_published(tx), meter_rows(tx)
    for number in sorted(sums["meter"].unique().to_list(), key=lambda each: meters[each].slug):
        rows = sums.filter(pl.col("meter") == number).select("resource", "quantity", "quantity_counted").rows()
        differing = sorted((row for row in rows if row[1] != row[2]), key=lambda row: (-abs(row[1] - row[2]), row[0]))
        own, theirs = sum(row[1] for row in rows), sum(row[2] for row in rows)
        yield ComparedMeterBody(
            meter=meters[number].slug,
            meter_name=meter_name(meters[number].slug, published),
            unit=meters[number].unit,
            resources=len(rows),
            differing=len(differing),
            **_amounts(own, theirs),
            examples=[
                ComparedResourceBody(resource=name, **_amounts(one, other)) for name, one, other in differing[:EXAMPLES]
            ],
        )


def _amounts(measured: int, counted: int) -> dict[str, Any]:
    values = {"measured": measured, "counted": counted, "difference": measured - counted}
    return {name: unscaled(each, QUANTITY_PLACES) for name, each in values.items()}
