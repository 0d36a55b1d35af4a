"""Rules that say of what kind readings are: read, looked at on what came in, and set together."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from uuid import UUID

from gradumen.core.catalogue.services import Combine
from gradumen.core.exact import add
from gradumen.core.metering.dated_rules import first_difference
from gradumen.core.metering.kinds import Found, KindRule, Kinds
from gradumen.core.metering.readings import Attributes
from gradumen.core.periods import midnight
from gradumen.core.permissions import Right
from gradumen.store import revisions
from gradumen.store import tasks as store_tasks
from gradumen.store.metering import kind_rules as store
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.kind_rules import KindGroup
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.kind_groups import GroupsLookedAt, differs, found_for, segments_of
from gradumen.usecases.metering.kinds import catalogue_of, rule_of, rules_of
from gradumen.usecases.metering.written_kinds import read_rules, written
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, load_scope
from gradumen.usecases.tasks import KINDS
from gradumen.wire.metering.kind_rules import (
    KindMoveBody,
    KindPreviewBody,
    KindRuleForm,
    KindRulesBody,
    KindRulesSet,
)
from gradumen.wire.metering.ownership_rules import QuantityBody

LOOKED_AT, LOOKED_BACK = 200_000, timedelta(days=92)
"""Groups of readings, and days, that a preview looks at."""
EXAMPLES = 3


@use_case
def list_kind_rules(tx: Session, caller: Caller, *, organisation: str) -> KindRulesBody:
    """The rules of a seller; for its own members.

    Raises:
        Forbidden: the caller is none.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    return _view(tx, seller)


def _view(tx: Session, seller: OrganisationRow) -> KindRulesBody:
    rows = store.rules_of(tx, seller.id)
    places = {row.name: place for place, row in enumerate(rows)}
    order = Kinds([rule_of(row) for row in rows], catalogue_of(load_published(tx))).rules
    return KindRulesBody(
        organisation=seller.slug,
        version=store.version_of(tx, seller.id),
        rules=[written(row) for row in rows],
        order=[places[each.name] for each in order],
    )


@use_case
def set_kind_rules(tx: Session, caller: Caller, *, organisation: str, wanted: KindRulesSet) -> KindRulesBody:
    """Set the rules of a seller together; the same again changes nothing. What they reach is read anew by a task.

    What was sent is kept as it was: what a rule made of it before stands as replaced.

    Raises:
        Forbidden: the caller does not manage feeds there; or what is billed already may change, and it does not bill.
        EditedMeanwhile: somebody changed them since they were read.
        Invalid: a rule has no fit name, days, conditions or kind; with its place in ``field``.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_FEEDS, seller)
    version = store.lock_version(tx, seller.id)
    before = rules_of(tx, seller.id)
    rows, after = read_rules(load_published(tx), scope, seller.id, wanted.rules)
    changed_from = first_difference(before, after)
    if changed_from is None:
        return _view(tx, seller)
    check_unchanged("list of rules", version, wanted.version)
    if changed_from < scope.now.date().replace(day=1):
        scope.require_member(Right.BILL, seller)
    _put(tx, scope, seller, rows, (before, after), changed_from)
    return _view(tx, seller)


def _put(
    tx: Session,
    scope: Scope,
    seller: OrganisationRow,
    rows: Sequence[store.KindRuleRow],
    rules: tuple[Sequence[KindRule], Sequence[KindRule]],
    changed_from: date,
) -> None:
    """Put rules in the place of those of before, on record, and have read anew what they reach."""
    caller = scope.caller
    # What is coming in is there before they are others, so that the task finds it; what comes then is read by them.
    store.lock_feeds(tx, seller.id)
    revisions.revise(tx, revisions.KINDS)
    store.replace_rules(tx, seller.id, rows)
    add_reading(tx, seller, (changed_from, scope.now.date()), at=caller.at, asked_by=caller.somebody)
    was, now = ({"rules": [f"{each.name}: {each.meter}" for each in some]} for some in rules)
    record(tx, caller, "kind rules set", seller.id, seller.slug, before=was, after=now)


def add_reading(
    tx: Session,
    seller: OrganisationRow,
    days: tuple[date, date],
    *,
    at: datetime,
    asked_by: UUID | None,
    unknown: bool = False,
) -> None:
    """Have read anew what started from one day to another; ``unknown``: of unknown kind alone."""
    inputs = {"from": f"{days[0]}", "to": f"{days[1] + timedelta(days=2)}", "unknown": unknown}
    store_tasks.add_task(
        tx, KINDS, seller.name, at=at, organisation=seller.id, asked_by=asked_by, inputs=inputs, counted="readings"
    )


@dataclass(frozen=True, slots=True)
class Move:
    """What goes the same way: sent so, of one meter or None, to be of another by a rule, or of none for a reason."""

    sent: tuple[str, str]
    before: str | None
    after: str | None
    rule: str | None
    why: str | None


@dataclass(slots=True)
class Gathered:
    """Groups of readings that go the same way, as far as they were added up."""

    readings: int = 0
    names: set[str] = field(default_factory=set)
    days: set[date] = field(default_factory=set)
    attributes: set[Attributes] = field(default_factory=set)
    quantities: list[Decimal] = field(default_factory=list)


@use_case
def preview_kind_rules(
    tx: Session, caller: Caller, *, organisation: str, rules: Sequence[KindRuleForm]
) -> KindPreviewBody:
    """What rules would change on what came in in the last three months; nothing is set.

    Raises:
        Forbidden, Invalid: as for setting them.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_FEEDS, seller)
    published = load_published(tx)
    before = rules_of(tx, seller.id)
    _, after = read_rules(published, scope, seller.id, rules)
    changed_from = first_difference(before, after)
    if changed_from is None:
        return KindPreviewBody(from_day=None, fixed_before=None, moves=[], unknown=0, more=False)
    first = max(changed_from, (scope.now - LOOKED_BACK).date())
    kinds, kinds_before = (Kinds(each, catalogue_of(published)) for each in (after, before))
    feeds = [each.id for each in feeds_of(tx, seller.id)]
    moves: dict[Move, Gathered] = defaultdict(Gathered)
    unknown, left = 0, LOOKED_AT
    for since, until in segments_of([kinds, kinds_before], first, scope.now.date() + timedelta(days=1)):
        groups = store.groups_of(tx, feeds, midnight(since), midnight(until), left + 1)
        looked = GroupsLookedAt(tx, groups[:left], published)
        for group in groups[:left]:
            found = found_for(kinds, looked, group)
            unknown += group.readings if found.kind is None and not looked.was(group).named else 0
            # That a rule takes what is unknown, and cannot say what it is either, is told with why.
            still = looked.was(group).meter is None and found.kind is None and found.rule is not None
            if differs(looked.was(group), found) or (
                still and found.reason != found_for(kinds_before, looked, group).reason
            ):
                _gather(moves, looked, group, found)
        left -= len(groups)
        if left < 0:
            break
    return KindPreviewBody(
        from_day=changed_from,
        fixed_before=archived_before(tx),
        moves=[
            _move_body(move, moved, published)
            for move, moved in sorted(moves.items(), key=lambda each: (-each[1].readings, str(each[0])))
        ],
        unknown=unknown,
        more=left < 0 or first > changed_from,
    )


def _gather(moves: dict[Move, Gathered], looked: GroupsLookedAt, group: KindGroup, found: Found) -> None:
    """Add a group to what goes its way."""
    sent, was = looked.sent(group), looked.was(group)
    move = Move((sent.meter, sent.unit), was.meter, found.meter, found.rule_name, found.reason)
    moved = moves[move]
    moved.readings += group.readings
    moved.names.add(group.name)
    moved.days |= {group.first.date(), group.last.date()}
    if found.kind is not None:
        moved.attributes.add(found.kind.attributes)
        moved.quantities.append(looked.usage_of(group, found.kind))


def _move_body(move: Move, moved: Gathered, published: Published) -> KindMoveBody:
    held = move.after is not None and published.meters[move.after].combine is Combine.HELD
    total = None if move.after is None or held else usage_body(move.after, add(moved.quantities), published)
    return KindMoveBody(
        sent_meter=move.sent[0],
        sent_unit=move.sent[1],
        before=move.before,
        after=move.after,
        rule=move.rule,
        why=move.why,
        resources=len(moved.names),
        readings=moved.readings,
        first_day=min(moved.days),
        last_day=max(moved.days),
        attributes=[dict(each) for each in sorted(moved.attributes)[:EXAMPLES]],
        quantity=total,
    )


def usage_body(meter: str, quantity: Decimal, published: Published) -> QuantityBody:
    """So much usage of a meter."""
    unit = published.meters[meter].unit.text
    return QuantityBody(meter=meter, meter_name=meter_name(meter, published), unit=unit, quantity=quantity)
