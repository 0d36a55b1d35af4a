"""What of a seller's feeds is divided among several by its rules of ownership."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal

from gradumen.core.exact import add
from gradumen.core.metering.ownership import NOBODY, OwnershipRule
from gradumen.core.periods import midnight
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.moved_usage import LOOKED_AT, UNBOUNDED, costs_and_owners, projects_of
from gradumen.usecases.metering.owners import Owners, Ruled, ruled
from gradumen.usecases.scope import Scope


@dataclass(frozen=True, slots=True)
class Divided:
    """What was divided: readings by feed and meter, and billed costs by feed and currency."""

    readings: Mapping[tuple[int, int], int] = field(default_factory=dict)
    costs: Mapping[tuple[int, str], Decimal] = field(default_factory=dict)


def divided_of(
    tx: Session, scope: Scope, seller: OrganisationRow, feeds: Sequence[FeedRow], start: datetime, end: datetime
) -> Divided:
    """What rules divide of what began in a span of time, and of the costs of the days of UTC that begin in it."""
    dividing = [each for each in ruled(store.rules_of(tx, [seller.id])[seller.id]).values if _divides(each)]
    if not dividing:
        return Divided()
    numbers = {each.slug: each.id for each in feeds}
    projects = sorted({NOBODY, *projects_of(tx, scope, seller, dividing)})
    looking = _Looking(tx, numbers, projects)
    looking.readings_of(start, end)
    looking.costs_of(*(each.date() + timedelta(days=each != midnight(each.date())) for each in (start, end)))
    return Divided(dict(looking.readings), {key: add(each) for key, each in looking.costs.items()})


class _Looking:
    """Looks at groups of readings and costs; where there are too many of them at once, at each half of the days."""

    def __init__(self, tx: Session, numbers: Mapping[str, int], projects: Sequence[int]) -> None:
        self._tx, self._numbers, self._projects = tx, numbers, projects
        self._feeds = sorted(numbers.values())
        self.readings: dict[tuple[int, int], int] = defaultdict(int)
        self.costs: dict[tuple[int, str], list[Decimal]] = defaultdict(list)

    def readings_of(self, start: datetime, end: datetime) -> None:
        """Count the divided ones of those that began in a span of time."""
        # Nobody has what is divided on a day on which nobody used what it is divided by.
        halves = _halves(start.date(), end.date())
        most = LOOKED_AT + 1 if halves else UNBOUNDED
        groups = store.groups_naming_nobody(self._tx, self._feeds, start, end, self._projects, most)
        if halves and len(groups) > LOOKED_AT:
            middle = midnight(halves)
            self.readings_of(start, middle)
            self.readings_of(middle, end)
            return
        owners = Owners(self._tx, {each.resource for each in groups}, start, end, all_meters=True)
        owners.know({each.origin for each in groups}, {each.attributes for each in groups})
        for group in groups:
            at = (group.resource, group.meter, group.origin, group.attributes, group.at)
            if _is_divided(owners.find(*at)):
                self.readings[self._feed(owners, group.resource), group.meter] += group.readings

    def costs_of(self, first: date, end: date) -> None:
        """Add up the divided ones of some days, from one until before another."""
        halves = _halves(first, end)
        rows, owners = costs_and_owners(self._tx, self._feeds, first, end, LOOKED_AT + 1 if halves else UNBOUNDED)
        if halves and len(rows) > LOOKED_AT:
            self.costs_of(first, halves)
            self.costs_of(halves, end)
            return
        for cost in rows:
            at = (cost.resource, cost.meter, cost.origin, cost.attributes, midnight(cost.first))
            if _is_divided(owners.find(*at)):
                self.costs[self._feed(owners, cost.resource), cost.currency].append(cost.billed)

    def _feed(self, owners: Owners, resource: int) -> int:
        return self._numbers[owners.feeds[resource].feed]


def _halves(first: date, end: date) -> date | None:
    """The day at which some days are halved; None where they are not."""
    middle = first + (end - first) // 2
    return middle if first < middle < end else None


def _divides(rule: OwnershipRule) -> bool:
    return rule.by_usage is not None or len(rule.shares) > 1


def _is_divided(found: Ruled | None) -> bool:
    return found is not None and _divides(found.rule)
