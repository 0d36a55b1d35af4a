"""Usage looked at: sums of a month by what its reader chooses."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator
from datetime import UTC, date, datetime, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, scaled, unscaled
from gradumen.core.metering.packed_days import sum_hours, unpack
from gradumen.core.metering.usage import EPOCH_DAY
from gradumen.core.periods import Period, day_start, hour_number, zone_of
from gradumen.core.permissions import Right
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.cloud_feeds import clouds_of_feeds
from gradumen.store.metering.usage import (
    ATTRIBUTES,
    COLUMNS,
    REGIONS,
    Named,
    Wanted,
    Which,
    attribute_sets,
    feed_names,
    meter_rows,
    meters_by_seller,
    named_owners,
    packed_days,
    sums_of_days,
)
from gradumen.store.organisations.tables import Tree, trees_between, zone_name
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.usage import UsageBody, UsageSumsBody

DIMENSIONS = ("day", "meter", "resource", "project", "organisation", "feed", "cloud", "region")
MADE_FROM = {"cloud": "feed", "region": ATTRIBUTES}
"""Dimensions that follow from what the store tells apart."""
ATTRIBUTE = "attribute:"
"""Before the name of an attribute, by whose values usage is told apart."""
DAY = timedelta(days=1)
UTC_ZONE = ZoneInfo("UTC")


@use_case
def sum_usage(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    period: str,
    by: tuple[str, ...],
    project: str | None,
    meter: str | None,
    resource: str | None = None,
    limit: int,
) -> UsageSumsBody:
    """Usage of an organisation and all below in a month of its billing zone, by chosen dimensions.

    The largest quantities first within a meter, days in order.

    Raises:
        Invalid: an unknown dimension.
    """
    for name in by:
        if name not in DIMENSIONS and not (name.startswith(ATTRIBUTE) and name != ATTRIBUTE):
            choices = ", ".join((*DIMENSIONS, f"{ATTRIBUTE}NAME"))
            raise Invalid(f"usage has no dimension '{name[:30]}'; choose from {choices}", field="by")
    scope, current = load_scope(tx, caller), usage_as_of(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.READ, owner)
    month = Period.parse(period)
    zone = zone_of(zone_name(tx, owner.id, month.first_day))
    known = meter_rows(tx)
    meters = None if meter is None else [id for id, row in known.items() if row.slug == meter]
    spans = list(spans_of(tx, scope, *month.bounds(zone)))
    owners = frozenset[UUID]().union(*(tree.below([owner.id]) for tree, _ in spans))
    names = _Names(tx, scope, by, owners)
    published = load_published(tx)
    sums: dict[tuple[int, tuple[tuple[str, Named], ...]], int] = defaultdict(int)
    for tree, bounds in spans:
        wanted = Wanted(seen_usage(tx, scope, tree, tree.below([owner.id])), project, meters, resource)
        rows = list(quantities_of(tx, wanted, bounds, names.columns, zone))
        names.know(keys for _, keys, _ in rows)
        for number, keys, quantity in rows:
            sums[number, names.of(keys)] += quantity
    slugs = {number: row.slug for number, row in known.items()}
    ordered = sorted((slugs[number], _day(keys), -sums[number, keys], keys, number) for number, keys in sums)
    shown = ordered[:limit]
    return UsageSumsBody(
        organisation=organisation,
        period=period,
        items=[_item(known[number], keys, -minus, published) for _, _, minus, keys, number in shown],
        more=len(ordered) > limit,
        as_of=current.as_of,
        waiting=current.waiting,
    )


class _Names:
    """What sums are by, with the names of what has one."""

    def __init__(self, tx: Session, scope: Scope, by: tuple[str, ...], owners: Collection[UUID]) -> None:
        self._by = by
        kept = [MADE_FROM.get(name, name) if name in DIMENSIONS else ATTRIBUTES for name in by]
        self.columns = tuple(dict.fromkeys(kept))
        """What is asked of the store."""
        organisations, projects = named_owners(tx, owners) if {"project", "organisation"} & set(by) else ({}, {})
        self._known: dict[str, dict[Any, Named]] = {"organisation": organisations, "project": projects}
        if "feed" in by:
            self._known["feed"] = feed_names(tx)
        # Which clouds somebody below has is its own business.
        self._clouds = clouds_of_feeds(tx, sellers_seen(scope)) if "cloud" in by else {}
        self._tx = tx
        self._sets: dict[int, dict[str, str]] = {}

    def know(self, rows: Iterable[dict[str, Any]]) -> None:
        """Read the attributes that rows have."""
        if ATTRIBUTES in self.columns:
            self._sets |= attribute_sets(self._tx, {keys[ATTRIBUTES] for keys in rows} - set(self._sets))

    def of(self, keys: dict[str, Any]) -> tuple[tuple[str, Named], ...]:
        """The names of what sums are by; an attribute that is not there is an empty text."""
        found: list[tuple[str, Named]] = []
        for name in self._by:
            if name in self._known:
                found.append((name, self._known[name][keys[name]]))
            elif name in keys:
                found.append((name, (keys[name],) * 2))
            elif name == "cloud":
                found.append((name, self._clouds.get(keys["feed"], ("", ""))))
            elif name == "region":
                attributes = self._sets[keys[ATTRIBUTES]]
                found.append((name, (next((attributes[each] for each in REGIONS if each in attributes), ""),) * 2))
            elif name not in DIMENSIONS:
                value = self._sets[keys[ATTRIBUTES]].get(name.removeprefix(ATTRIBUTE), "")
                found.append((name, (value,) * 2))
        return tuple(found)


def sellers_seen(scope: Scope) -> set[UUID]:
    """Those of whom somebody is a member, and all above them."""
    return {seller for member in scope.members_of() for seller in scope.tree.chain(member)}


Span = tuple[Tree, tuple[datetime, datetime]]


def spans_of(tx: Session, scope: Scope, start: datetime, end: datetime) -> Iterator[Span]:
    """The trees of a span of time up to now, each with the part of it in which nobody moved.

    Of who came to an organisation, or left it, it sees the use of the days in between.
    """
    trees = trees_between(tx, start, max(start, min(end, scope.now)))
    ends = [*(moment for moment, _ in trees[1:]), end]
    for (begins, tree), until in zip(trees, ends, strict=True):
        yield tree, (begins, until)


def _day(keys: tuple[tuple[str, Named], ...]) -> str:
    return next((slug for name, (slug, _) in keys if name == "day"), "")


def _item(meter: MeterRow, keys: tuple[tuple[str, Named], ...], quantity: int, published: Published) -> UsageBody:
    return UsageBody(
        meter=meter.slug,
        meter_name=meter_name(meter.slug, published),
        unit=meter.unit,
        keys={name: slug for name, (slug, _) in keys},
        names={name: called for name, (_, called) in keys},
        quantity=unscaled(quantity, QUANTITY_PLACES),
    )


def quantities_of(
    tx: Session, wanted: Which, bounds: tuple[datetime, datetime], by: tuple[str, ...], zone: ZoneInfo
) -> Iterator[tuple[int, dict[str, Any], int]]:
    """Meter, keys and millionths: of whole UTC days from their totals, of the others hour by hour.

    Days of a zone begin and end within UTC days, so all of these are looked into where days of another are asked for.
    """
    start, end = (bound.astimezone(UTC) for bound in bounds)
    columns = [name for name in by if name in COLUMNS and name != "day"]
    by_day = ["day"] if "day" in by else []
    days = [
        start.date() + DAY * number
        for number in range((end - timedelta.resolution).date().toordinal() - start.date().toordinal() + 1)
    ]
    whole = [
        day
        for day in days
        if (not by_day or zone == UTC_ZONE)
        and start <= day_start(day, UTC_ZONE)
        and day_start(day + DAY, UTC_ZONE) <= end
    ]
    if whole:
        for number, quantity, *values in sums_of_days(tx, wanted, whole[0], whole[-1], [*columns, *by_day]):
            keys = dict(zip([*columns, *by_day], values, strict=True))
            if by_day:
                keys["day"] = keys["day"].isoformat()
            yield number, keys, scaled(quantity, QUANTITY_PLACES)
    rows = packed_days(tx, wanted, [day for day in days if day not in set(whole)], columns)
    if not rows:
        return
    packed = [(row[1] - EPOCH_DAY).days for row in rows], [row[2] for row in rows], [row[3] for row in rows]
    inside = unpack(*packed, zone).within(hour_number(start, zone), hour_number(end, zone))
    kinds: dict[tuple[Any, ...], int] = {}
    kind = [kinds.setdefault((row[0], *row[4:]), len(kinds)) for row in rows]
    named = list(kinds)
    for index, number, quantity in sum_hours(inside, kind, zone if by_day else None):
        meter, *values = named[index]
        keys = dict(zip(columns, values, strict=True))
        if by_day:
            keys["day"] = date.fromordinal(number).isoformat()
        yield meter, keys, quantity


def seen_usage(
    tx: Session, scope: Scope, tree: Tree, owners: frozenset[UUID]
) -> list[tuple[frozenset[UUID] | None, list[int]]]:
    """The usage that a caller sees of some organisations: of the services of its own and those above it.

    What somebody below uses of the services of another seller below is between those two.
    """
    meters = meters_by_seller(tx)
    found: list[tuple[frozenset[UUID] | None, list[int]]] = []
    for member in scope.members_of():
        seen = tree.below([member]) & owners
        numbers = [number for seller in tree.chain(member) for number in meters.get(seller, ())]
        # Nobody is left out: naming them all would cost more than it saves.
        found.append((None if len(seen) > len(tree.parents) else seen, numbers))
    return found
