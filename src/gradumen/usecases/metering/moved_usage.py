"""What changed rules of ownership would move: looked at in windows of days, on what came in, with whose it is."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from gradumen.core.exact import add
from gradumen.core.metering.ownership import NOBODY, OwnershipRule
from gradumen.core.metering.readings import hash_of
from gradumen.core.periods import midnight
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.feeds import feeds_of, newest_delivery
from gradumen.store.metering.imported_costs import CostGroup, cost_groups
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.stale_usage import organisations_by_number
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.gathered_usage import ANY, Gathered, Totals, cost_bodies
from gradumen.usecases.metering.held_usage import while_held
from gradumen.usecases.metering.owners import Owners, Ruled, Rules
from gradumen.usecases.scope import Scope
from gradumen.wire.metering.ownership_rules import OwnershipMoveBody, OwnershipPreviewBody, QuantityBody

LOOKED_AT, LOOKED_BACK = 200_000, timedelta(days=92)
"""Groups of readings, and days, that a quick look takes in."""
UNBOUNDED, FIRST_DAY = 2**62, date(2000, 1, 1)
"""The same of a look that leaves nothing out, and the day before which no reading lies."""
ALL_OF_IT = ":all"
"""At the end of what stands for such a look."""


def _had(rule: OwnershipRule | None) -> list[int]:
    """The projects that may have what a rule takes; ANY where their usage says so."""
    if rule is None:
        return [NOBODY]
    return [ANY] if rule.by_usage else [number for number, _ in rule.shares]


Move = tuple[str | None, str | None, str | None]
"""Whose it is, whose it would be, and by which rule."""


@dataclass(slots=True)
class Looked:
    """What would move of what came in on some days."""

    moves: dict[Move, Gathered] = field(default_factory=lambda: defaultdict(Gathered))
    quantities: dict[Move, list[QuantityBody]] = field(default_factory=lambda: defaultdict(list))
    ahead: dict[Move, set[store.Place]] = field(default_factory=dict)
    """Usage of days after these that was begun on them."""
    nobodys: int = 0
    """Readings that would still be nobody's."""
    more: bool = False
    """Whether not all could be looked at."""

    def take(self, other: "Looked") -> None:
        """Add what would move on later days."""
        for move, gathered in other.moves.items():
            self.moves[move].take_all(gathered)
        for move, quantities in other.quantities.items():
            self.quantities[move] = _summed([*self.quantities[move], *quantities])
        self.ahead = other.ahead
        self.nobodys += other.nobodys
        self.more = self.more or other.more

    def moved(self) -> str:
        """Stands for what goes from whom to whom: the resources of each move."""
        told = sorted((*map(str, move), *sorted(each.names)) for move, each in self.moves.items() if each.names)
        return hash_of(*("\x1e".join(each) for each in told)).hex()


@dataclass(frozen=True, slots=True)
class Looking:
    """A seller whose rules are looked at: those that are, beside others; ``paying`` adds what suppliers charge."""

    scope: Scope
    seller: OrganisationRow
    before: Rules
    after: Rules
    paying: bool

    def look(
        self, tx: Session, first: date, end: date, most: int, ahead: Mapping[Move, set[store.Place]] | None = None
    ) -> Looked:
        """What would move of the days from one up to another, of so many groups at most.

        Args:
            ahead: what a look at the days before left for these; with it, what goes on after these is left in turn.
        """
        feeds = [each.id for each in feeds_of(tx, self.seller.id)]
        projects = sorted({NOBODY, *projects_of(tx, self.scope, self.seller, self.before.values)})
        groups, owners = naming_nobody(tx, feeds, first, end, projects, most + 1)
        found = Looked(more=len(groups) > most)
        for group in groups[:most]:
            was, would = (_of(owners, group, each) for each in (self.before, self.after))
            found.nobodys += group.readings if would is None else 0
            whose, whose_then = (each.owner if each else None for each in (was, would))
            if whose != whose_then:
                moved = found.moves[whose, whose_then, would.rule.name if would else None]
                had = _had(was.rule if was else None)
                moved.projects |= {*had, *_had(would.rule if would else None)}
                moved.take(group, owners.feeds[group.resource].resource, had)
        # What suppliers charge is for those who read money.
        costs = costs_and_owners(tx, feeds if self.paying else [], first, end, most + 1)
        found.more = _add_costs(found.moves, *costs, (self.before, self.after), most) or found.more
        totals = Totals(tx, feeds, first, end, projects)
        for move, places in (ahead or {}).items():
            found.moves[move].places |= places
        for move, gathered in found.moves.items():
            later = set() if ahead is None else {each for each in gathered.places if each[-1] >= end}
            found.ahead[move] = later
            found.quantities[move] = totals.of(gathered.places - later)
            gathered.places.clear()
        return found


def preview_body(
    tx: Session, looked: Looked, from_day: date, *, fixed_before: date | None, seen: str
) -> OwnershipPreviewBody:
    """What was found, as it is told; the most readings first."""
    moves = sorted(looked.moves.items(), key=lambda each: -each[1].readings)
    return OwnershipPreviewBody(
        from_day=from_day,
        fixed_before=fixed_before,
        moves=[_move_body(move, moved, looked.quantities[move]) for move, moved in moves if moved.names],
        organisations=_organisations(tx, looked.moves.values()),
        nobodys=looked.nobodys,
        more=looked.more,
        seen=seen,
    )


def newest_of(tx: Session, seller: OrganisationRow) -> str:
    """The newest delivery of a seller's feeds, by what it is called outside."""
    return str(newest_delivery(tx, [each.id for each in feeds_of(tx, seller.id)]) or "")


def _summed(quantities: Iterable[QuantityBody]) -> list[QuantityBody]:
    """Quantities by meter, of all days."""
    by_meter: dict[str, list[QuantityBody]] = defaultdict(list)
    for each in quantities:
        by_meter[each.meter].append(each)
    return [
        each[0].model_copy(update={"quantity": add([one.quantity for one in each])})
        for _, each in sorted(by_meter.items())
    ]


def _organisations(tx: Session, moves: Iterable[Gathered]) -> list[str]:
    """Whose it is or would be, as far as rules name them."""
    owners = organisations_by_number(tx, {number for each in moves for number in each.projects if number > NOBODY})
    return sorted(each.slug for each in organisations_by_id(tx, set(owners.values())).values())


def projects_of(tx: Session, scope: Scope, seller: OrganisationRow, rules: Sequence[OwnershipRule]) -> set[int]:
    """The projects that rules may say that something is of."""
    anybodys = (each.owners is None if each.by else each.by_usage and not each.by_usage.among for each in rules)
    if any(anybodys):
        return set(store.projects_below(tx, scope.tree.below([seller.id])))
    named = {number for each in rules for number, _ in each.shares}
    for by in (each.by_usage for each in rules if each.by_usage):
        named |= by.among | ({by.remainder} if by.remainder else set())
    return named | {number for each in rules for number in (each.owners or {}).values()}


def _move_body(move: Move, moved: Gathered, quantities: list[QuantityBody]) -> OwnershipMoveBody:
    was, would, rule = move
    return OwnershipMoveBody(
        before=was,
        after=would,
        rule=rule,
        resources=len(moved.names),
        readings=moved.readings,
        first_day=min(moved.days),
        last_day=max(moved.days),
        quantities=quantities,
        costs=cost_bodies(moved),
    )


def naming_nobody(
    tx: Session, feeds: Sequence[int], first: date, end: date, projects: Sequence[int], most: int = LOOKED_AT + 1
) -> tuple[list[Group], Owners]:
    """The readings of feeds that name no owner, of days from one up to another, and what looks up whose they are.

    As far as usage was made of them, of resources that have usage of some projects; 0 is nobody's.
    """
    bounds = midnight(first), midnight(end)
    groups = while_held(tx, store.groups_naming_nobody(tx, feeds, *bounds, projects, most), first)
    owners = Owners(tx, {each.resource for each in groups}, *bounds, all_meters=True)
    owners.know({each.origin for each in groups}, {each.attributes for each in groups})
    return groups, owners


def _add_costs(
    moves: dict[Move, Gathered],
    costs: Sequence[CostGroup],
    owners: Owners,
    rules: tuple[Rules, Rules],
    most: int,
) -> bool:
    """Add the costs that go another way by the second of two lists of rules; True where not all were looked at."""
    for cost in costs[:most]:
        at = (cost.resource, cost.meter, cost.origin, cost.attributes, midnight(cost.first))
        was, would = (owners.find(*at, each) for each in rules)
        whose, whose_then = (each.owner if each else None for each in (was, would))
        if whose != whose_then:
            moved = moves[whose, whose_then, would.rule.name if would else None]
            moved.projects |= {number for each in (was, would) for number in _had(each.rule if each else None)}
            moved.cost(cost, owners.feeds[cost.resource].resource)
    return len(costs) > most


def costs_and_owners(
    tx: Session, feeds: Sequence[int], first: date, end: date, most: int = LOOKED_AT + 1, *, nobodys: bool = False
) -> tuple[list[CostGroup], Owners]:
    """The imported costs of feeds, of days from one up to another, or nobody's, and what looks up whose they are."""
    costs = cost_groups(tx, feeds, first, end, most, nobodys=nobodys)
    owners = Owners(tx, {each.resource for each in costs}, midnight(first), midnight(end), all_meters=True)
    owners.know({each.origin for each in costs}, {each.attributes for each in costs})
    return costs, owners


def _of(owners: Owners, group: Group, rules: Rules) -> Ruled | None:
    return owners.find(group.resource, group.meter, group.origin, group.attributes, group.at, rules)
