"""Which usage changed rules of ownership reach: only what is not as they say is made again."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta

from gradumen.core.metering.imported_costs import AHEAD
from gradumen.core.metering.ownership import NOBODY, ByUsage, Whose
from gradumen.core.periods import midnight
from gradumen.core.tasks import Lease
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.imported_costs import mark_feeds, rows_of_feeds
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.spells import held_meters
from gradumen.store.metering.stale_usage import Mark, is_marked, lock_resources, mark_stale
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.metering import stale_costs, stale_usage
from gradumen.usecases.metering.owners import Alike, owners_by_rule
from gradumen.usecases.tasks import require_lease

RESOURCES = 2_000
"""Resources that one transaction looks at."""
DAY = timedelta(days=1)


@use_case
def feeds_to_mark(tx: Session, *, lease: Lease) -> list[int]:
    """The feeds of the seller whose rules changed."""
    require_lease(tx, lease)
    return [each.id for each in feeds_of(tx, lease.organisation)] if lease.organisation else []


@use_case
def mark_costs(tx: Session, *, lease: Lease, feeds: Sequence[int], first: date, end: date, at: datetime) -> None:
    """Have looked at anew whose imported costs of these days are."""
    require_lease(tx, lease)
    mark_feeds(tx, feeds, first, end + AHEAD, at)


@use_case
def mark_some(
    tx: Session, *, lease: Lease, feeds: Sequence[int], first: date, end: date, after: int, at: datetime
) -> tuple[int, int] | None:
    """Have the usage of resources after one made again, of what started on these days, where it is not as rules say.

    Whoever makes usage of them at this moment, by rules of before, is waited for; who does after reads those of now.

    Returns:
        The last resource looked at, and how many days of resources are made again; None where there was none.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    return _mark_some(tx, feeds, first, end, after, at, wait=True)


def make_all(
    uow: UnitOfWork, tx: Session, feeds: Sequence[int], first: date, end: date, at: datetime, most: int
) -> bool:
    """Make in this transaction all usage and costs of these days again that are not as the rules in it say.

    Args:
        at: this moment, by which what is made is told from what others have made again.
        most: so many days of resources, and rows of costs, at most.

    Returns:
        False where that is too much of it; then nothing counts.
    """
    marked, after = rows_of_feeds(tx, feeds, first, end + AHEAD), 0
    while marked <= most and (found := _mark_some(tx, feeds, first, end, after, at, wait=False)) is not None:
        after, count = found
        marked += count
    if marked > most:
        return False
    mark_feeds(tx, feeds, first, end + AHEAD, at)
    inside = uow.joined(tx)
    while is_marked(tx, at):
        stale_usage.refresh_batch(inside, at=at)
    while stale_costs.refresh_batch(inside, at=at):
        pass
    return True


def _mark_some(
    tx: Session, feeds: Sequence[int], first: date, end: date, after: int, at: datetime, *, wait: bool
) -> tuple[int, int] | None:
    resources = store.next_resources(tx, feeds, after, RESOURCES)
    if not resources:
        return None
    groups = store.groups_of_resources(tx, resources, midnight(first), midnight(end))
    if wait:
        lock_resources(tx, {each.resource for each in groups})
    there = store.users_by_day(tx, sorted({each.resource for each in groups}), first, end + DAY) if groups else {}
    marks = _otherwise(tx, groups, there)
    mark_stale(tx, marks, at)
    return resources[-1], len(marks)


def _otherwise(tx: Session, groups: Sequence[Group], there: Mapping[Mark, set[int]]) -> set[Mark]:
    """The days of resources that are not wholly the one project's that all of their readings are of by rule.

    What holds until it changes, and what is divided, is always among them.
    """
    if not groups:
        return set()
    held = held_meters(tx)
    by_meter: dict[int, set[Alike]] = defaultdict(set)
    for each in groups:
        by_meter[each.meter].add(_alike(each))
    whose = {
        (meter, alike): of for meter in by_meter for alike, of in owners_by_rule(tx, meter, by_meter[meter]).items()
    }
    wanted: dict[Mark, set[int | None]] = defaultdict(set)
    for each in groups:
        owner = None if each.meter in held else _owner(whose.get((each.meter, _alike(each))))
        for day in {each.day, max(each.day, each.last)}:
            wanted[each.resource, each.meter, day].add(owner)
    return {mark for mark, owners in wanted.items() if None in owners or len(owners) > 1 or owners != there.get(mark)}


def _alike(group: Group) -> Alike:
    return group.resource, group.attributes, group.origin, int(group.at.timestamp())


def _owner(whose: Whose | None) -> int | None:
    """The one project that has all of it; None where several have."""
    if whose is None:
        return NOBODY
    return None if isinstance(whose, ByUsage) or len(whose) != 1 else whose[0][0]
