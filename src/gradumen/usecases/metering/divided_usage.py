"""What of a seller's feeds is divided among several by its rules of ownership."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from decimal import Decimal

from gradumen.core.exact import add
from gradumen.core.metering.ownership import NOBODY, OwnershipRule
from gradumen.core.periods import midnight
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.owners import Owners, Ruled, ruled
from gradumen.usecases.metering.ownership_rules import LOOKED_AT, costs_and_owners, projects_of
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
    ids, projects = sorted(numbers.values()), sorted({NOBODY, *projects_of(tx, scope, seller, dividing)})
    # Nobody has what is divided on a day on which nobody used what it is divided by.
    groups = store.groups_naming_nobody(tx, ids, start, end, projects, LOOKED_AT)
    owners = Owners(tx, {each.resource for each in groups}, start, end, all_meters=True)
    owners.know({each.origin for each in groups}, {each.attributes for each in groups})
    readings: dict[tuple[int, int], int] = defaultdict(int)
    for group in groups:
        at = (group.resource, group.meter, group.origin, group.attributes, midnight(group.day))
        if _is_divided(owners.find(*at)):
            readings[numbers[owners.feeds[group.resource].feed], group.meter] += group.readings
    days = [each.date() + timedelta(days=each != midnight(each.date())) for each in (start, end)]
    costs: dict[tuple[int, str], list[Decimal]] = defaultdict(list)
    rows, owners_of_costs = costs_and_owners(tx, ids, *days)
    for cost in rows[:LOOKED_AT]:
        at = (cost.resource, cost.meter, cost.origin, cost.attributes, midnight(cost.first))
        if _is_divided(owners_of_costs.find(*at)):
            costs[numbers[owners_of_costs.feeds[cost.resource].feed], cost.currency].append(cost.billed)
    return Divided(dict(readings), {key: add(each) for key, each in costs.items()})


def _divides(rule: OwnershipRule) -> bool:
    return rule.by_usage is not None or len(rule.shares) > 1


def _is_divided(found: Ruled | None) -> bool:
    return found is not None and _divides(found.rule)
