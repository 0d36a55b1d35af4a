"""Rules that say whose usage is: read, looked at on what came in, and set together."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, timedelta
from typing import Any

from gradumen.core.errors import EditedMeanwhile
from gradumen.core.metering.dated_rules import first_difference
from gradumen.core.metering.ownership import NOBODY, OwnershipRule
from gradumen.core.metering.readings import hash_of
from gradumen.core.periods import midnight
from gradumen.core.permissions import Right
from gradumen.store import tasks as store_tasks
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.feeds import feeds_of, newest_delivery
from gradumen.store.metering.imported_costs import CostGroup, cost_groups
from gradumen.store.metering.ownership_rules import Group
from gradumen.store.metering.stale_usage import organisations_by_number
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.metering.gathered_usage import ANY, Gathered, Totals, cost_bodies
from gradumen.usecases.metering.held_usage import while_held
from gradumen.usecases.metering.owners import Owners, Ruled, Rules, ruled
from gradumen.usecases.metering.written_ownership import read_rules, whose
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, load_scope
from gradumen.usecases.tasks import OWNERS
from gradumen.wire.metering.ownership_rules import (
    OwnershipMoveBody,
    OwnershipPreviewBody,
    OwnershipRuleForm,
    OwnershipRulesBody,
    OwnershipRulesSet,
)

LOOKED_AT, LOOKED_BACK = 200_000, timedelta(days=92)
"""Groups of readings, and days, that a preview looks at."""


@use_case
def list_ownership_rules(tx: Session, caller: Caller, *, organisation: str) -> OwnershipRulesBody:
    """The rules of a seller; for its own members.

    Raises:
        Forbidden: the caller is none.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    return _view(tx, seller)


def _view(tx: Session, seller: OrganisationRow) -> OwnershipRulesBody:
    rules = written_rules(tx, seller)
    return OwnershipRulesBody(organisation=seller.slug, version=store.version_of(tx, seller.id), rules=rules)


def written_rules(tx: Session, seller: OrganisationRow) -> list[OwnershipRuleForm]:
    """The rules of a seller as they are written, in their order."""
    return [
        OwnershipRuleForm(
            name=each.row.name,
            **whose(tx, seller, each),
            starts_on=each.row.starts_on,
            ends_on=each.row.ends_on,
            conditions=each.row.conditions,
        )
        for each in store.rules_of(tx, [seller.id])[seller.id]
    ]


@use_case
def set_ownership_rules(
    tx: Session, caller: Caller, *, organisation: str, wanted: OwnershipRulesSet
) -> OwnershipRulesBody:
    """Set the rules of a seller together; the same again changes nothing. What they reach is made again by a task.

    No reading is written anew: what came in stays as it was sent.

    Raises:
        Forbidden: the caller does not manage feeds there; or what is billed already may change, and it does not bill.
        EditedMeanwhile: somebody changed them since they were read, or something else would move than was seen.
        Invalid: a rule has no fit name, days, conditions or owner; with its place in ``field``.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_FEEDS, seller)
    version = store.lock_version(tx, seller.id)
    before = ruled(store.rules_of(tx, [seller.id])[seller.id])
    rows, after = read_rules(tx, scope, seller, wanted.rules)
    changed_from = first_difference(before.values, after.values)
    if changed_from is None:
        return _view(tx, seller)
    check_unchanged("list of rules", version, wanted.version)
    if changed_from < scope.now.date().replace(day=1):
        scope.require_member(Right.BILL, seller)
    _check_seen(tx, scope, seller, (before, after), changed_from, wanted.seen)
    _put(tx, scope, seller, rows, (before, after), changed_from)
    return _view(tx, seller)


def _check_seen(
    tx: Session,
    scope: Scope,
    seller: OrganisationRow,
    rules: tuple[Rules, Rules],
    changed_from: date,
    seen: str | None,
) -> None:
    """Check that what came in since somebody looked changes nothing of what goes from whom to whom."""
    if seen is None or seen.partition(":")[0] == _newest(tx, seller):
        return
    now = _preview(tx, scope, seller, rules, changed_from).seen
    if now is not None and now.partition(":")[2] != seen.partition(":")[2]:
        raise EditedMeanwhile(
            "what came in since you looked would move too, or goes another way by now: look at it again, then set them",
            field="seen",
        )


def _newest(tx: Session, seller: OrganisationRow) -> str:
    """The newest delivery of a seller's feeds, by what it is called outside."""
    return str(newest_delivery(tx, [each.id for each in feeds_of(tx, seller.id)]) or "")


def lock_rules(tx: Session, seller: OrganisationRow) -> None:
    """Let nobody else change the rules of a seller until this is done; before they are read to be changed."""
    store.lock_version(tx, seller.id)


def put_rules(tx: Session, scope: Scope, seller: OrganisationRow, rules: Sequence[OwnershipRuleForm]) -> None:
    """Set the rules of a seller, which are locked, as the service itself has to, of today or later.

    Raises:
        Invalid: one cannot be.
    """
    before = ruled(store.rules_of(tx, [seller.id])[seller.id])
    rows, after = read_rules(tx, scope, seller, rules)
    changed_from = first_difference(before.values, after.values)
    if changed_from is not None:
        _put(tx, scope, seller, rows, (before, after), changed_from)


def _put(
    tx: Session,
    scope: Scope,
    seller: OrganisationRow,
    rows: Sequence[store.OwnershipRuleRow],
    rules: tuple[Rules, Rules],
    changed_from: date,
) -> None:
    """Put rules in the place of those of before, on record, and have made again what they reach."""
    caller = scope.caller
    store.replace_rules(tx, seller.id, rows)
    # What starts later is made by the new rules anyway.
    inputs = {"from": changed_from.isoformat(), "to": (scope.now.date() + timedelta(days=2)).isoformat()}
    store_tasks.add_task(
        tx, OWNERS, seller.name, at=caller.at, organisation=seller.id, asked_by=caller.somebody, inputs=inputs,
        counted="months",
    )  # fmt: skip
    was, now = (_told(one, other) for one, other in (rules, rules[::-1]))
    record(tx, caller, "ownership rules set", seller.id, seller.slug, before=was, after=now)


def _told(rules: Rules, others: Rules) -> dict[str, Any]:
    """Rules as they are recorded: what each says, and of tables what other rules of these names do not say."""
    there = {each.rule.name: each.table or {} for each in others.listed}
    tables = {
        each.rule.name: {
            value: owner.owner
            for value, owner in each.table.items()
            if value not in (other := there.get(each.rule.name, {})) or other[value].owner != owner.owner
        }
        for each in rules.listed
        if each.table
    }
    told: dict[str, Any] = {"rules": [f"{each.rule.name}: {each.owner}" for each in rules.listed]}
    return told | ({"owners": changed} if (changed := {name: each for name, each in tables.items() if each}) else {})


def _had(rule: OwnershipRule | None) -> list[int]:
    """The projects that may have what a rule takes; ANY where their usage says so."""
    if rule is None:
        return [NOBODY]
    return [ANY] if rule.by_usage else [number for number, _ in rule.shares]


Move = tuple[str | None, str | None, str | None]
"""Whose it is, whose it would be, and by which rule."""


@use_case
def preview_ownership_rules(
    tx: Session, caller: Caller, *, organisation: str, rules: Sequence[OwnershipRuleForm]
) -> OwnershipPreviewBody:
    """What rules would change on what came in in the last three months; nothing is set.

    Raises:
        Forbidden, Invalid: as for setting them.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_FEEDS, seller)
    before = ruled(store.rules_of(tx, [seller.id])[seller.id])
    _, after = read_rules(tx, scope, seller, rules)
    changed_from = first_difference(before.values, after.values)
    if changed_from is None:
        return OwnershipPreviewBody(
            from_day=None, fixed_before=None, moves=[], organisations=[], nobodys=0, more=False, seen=None
        )
    return _preview(tx, scope, seller, (before, after), changed_from)


def _preview(
    tx: Session, scope: Scope, seller: OrganisationRow, rules: tuple[Rules, Rules], changed_from: date
) -> OwnershipPreviewBody:
    """What the second of two lists of rules would change, beside the first."""
    before, after = rules
    # First: what comes while this is made up is looked at again.
    newest = _newest(tx, seller)
    feeds = [each.id for each in feeds_of(tx, seller.id)]
    first = max(changed_from, (scope.now - LOOKED_BACK).date())
    end = scope.now.date() + timedelta(days=1)
    projects = sorted({NOBODY, *projects_of(tx, scope, seller, before.values)})
    groups, owners = naming_nobody(tx, feeds, first, end, projects)
    moves: dict[Move, Gathered] = defaultdict(Gathered)
    nobodys = 0
    for group in groups[:LOOKED_AT]:
        was, would = (_of(owners, group, each) for each in (before, after))
        nobodys += group.readings if would is None else 0
        whose, whose_then = (each.owner if each else None for each in (was, would))
        if whose != whose_then:
            moved = moves[whose, whose_then, would.rule.name if would else None]
            had = _had(was.rule if was else None)
            moved.projects |= {*had, *_had(would.rule if would else None)}
            moved.take(group, owners.feeds[group.resource].resource, had)
    # What suppliers charge is for those who read money.
    paying = feeds if seller.id in scope.members_money() else []
    more = _add_costs(moves, *costs_and_owners(tx, paying, first, end), (before, after)) or len(groups) > LOOKED_AT
    totals = Totals(tx, feeds, first, end, projects)
    return OwnershipPreviewBody(
        from_day=changed_from,
        fixed_before=archived_before(tx),
        moves=[
            _move_body(move, moved, totals) for move, moved in sorted(moves.items(), key=lambda each: -each[1].readings)
        ],
        organisations=_organisations(tx, moves.values()),
        nobodys=nobodys,
        more=more or first > changed_from,
        seen=f"{newest}:{_moved(moves)}",
    )


def _organisations(tx: Session, moves: Iterable[Gathered]) -> list[str]:
    """Whose it is or would be, as far as rules name them."""
    owners = organisations_by_number(tx, {number for each in moves for number in each.projects if number > NOBODY})
    return sorted(each.slug for each in organisations_by_id(tx, set(owners.values())).values())


def _moved(moves: Mapping[Move, Gathered]) -> str:
    """Stands for what goes from whom to whom: the resources of each move."""
    told = sorted((*map(str, move), *sorted(moved.names)) for move, moved in moves.items())
    return hash_of(*("\x1e".join(each) for each in told)).hex()


def projects_of(tx: Session, scope: Scope, seller: OrganisationRow, rules: Sequence[OwnershipRule]) -> set[int]:
    """The projects that rules may say that something is of."""
    anybodys = (each.owners is None if each.by else each.by_usage and not each.by_usage.among for each in rules)
    if any(anybodys):
        return set(store.projects_below(tx, scope.tree.below([seller.id])))
    named = {number for each in rules for number, _ in each.shares}
    for by in (each.by_usage for each in rules if each.by_usage):
        named |= by.among | ({by.remainder} if by.remainder else set())
    return named | {number for each in rules for number in (each.owners or {}).values()}


def _move_body(move: Move, moved: Gathered, totals: Totals) -> OwnershipMoveBody:
    was, would, rule = move
    return OwnershipMoveBody(
        before=was,
        after=would,
        rule=rule,
        resources=len(moved.names),
        readings=moved.readings,
        first_day=min(moved.days),
        last_day=max(moved.days),
        quantities=totals.of(moved.places),
        costs=cost_bodies(moved),
    )


def naming_nobody(
    tx: Session, feeds: Sequence[int], first: date, end: date, projects: Sequence[int]
) -> tuple[list[Group], Owners]:
    """The readings of feeds that name no owner, of days from one up to another, and what looks up whose they are.

    As far as usage was made of them, of resources that have usage of some projects; 0 is nobody's.
    """
    bounds = midnight(first), midnight(end)
    groups = while_held(tx, store.groups_naming_nobody(tx, feeds, *bounds, projects, LOOKED_AT + 1), first)
    owners = Owners(tx, {each.resource for each in groups}, *bounds, all_meters=True)
    owners.know({each.origin for each in groups}, {each.attributes for each in groups})
    return groups, owners


def _add_costs(
    moves: dict[Move, Gathered], costs: Sequence[CostGroup], owners: Owners, rules: tuple[Rules, Rules]
) -> bool:
    """Add the costs that go another way by the second of two lists of rules; True where not all were looked at."""
    for cost in costs[:LOOKED_AT]:
        at = (cost.resource, cost.meter, cost.origin, cost.attributes, midnight(cost.first))
        was, would = (owners.find(*at, each) for each in rules)
        whose, whose_then = (each.owner if each else None for each in (was, would))
        if whose != whose_then:
            moved = moves[whose, whose_then, would.rule.name if would else None]
            moved.projects |= {number for each in (was, would) for number in _had(each.rule if each else None)}
            moved.cost(cost, owners.feeds[cost.resource].resource)
    return len(costs) > LOOKED_AT


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
