"""Rules that say whose usage is: read, looked at on what came in, and set together."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from gradumen.core.errors import EditedMeanwhile
from gradumen.core.metering.dated_rules import first_difference
from gradumen.core.permissions import Right
from gradumen.store import tasks as store_tasks
from gradumen.store.metering import ownership_rules as store
from gradumen.store.metering.archived_months import archived_before
from gradumen.store.metering.ownership_rows import OwnershipRuleRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.metering.moved_usage import (
    ALL_OF_IT,
    FIRST_DAY,
    LOOKED_AT,
    LOOKED_BACK,
    UNBOUNDED,
    Looked,
    Looking,
    newest_of,
    preview_body,
)
from gradumen.usecases.metering.owners import Rules, ruled
from gradumen.usecases.metering.written_ownership import read_rules, whose
from gradumen.usecases.scope import Caller, Scope, check_unchanged, get_organisation, load_scope
from gradumen.usecases.tasks import OWNERS
from gradumen.wire.metering.ownership_rules import (
    OwnershipPreviewBody,
    OwnershipRuleForm,
    OwnershipRulesBody,
    OwnershipRulesSet,
)


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
    if seen is None or seen.partition(":")[0] == newest_of(tx, seller):
        return
    now = _look(tx, scope, seller, rules, changed_from, all_of_it=seen.endswith(ALL_OF_IT)).moved()
    if now != seen.partition(":")[2].removesuffix(ALL_OF_IT):
        raise EditedMeanwhile(
            "what came in since you looked would move too, or goes another way by now: look at it again, then set them",
            field="seen",
        )


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
    rows: Sequence[OwnershipRuleRow],
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
        return NOTHING
    # First: what comes while this is made up is looked at again.
    newest = newest_of(tx, seller)
    looked = _look(tx, scope, seller, (before, after), changed_from)
    seen = f"{newest}:{looked.moved()}"
    return preview_body(tx, looked, changed_from, fixed_before=archived_before(tx), seen=seen)


NOTHING = OwnershipPreviewBody(
    from_day=None, fixed_before=None, moves=[], organisations=[], nobodys=0, more=False, seen=None
)
"""Where rules say the same as those that are."""


def _look(
    tx: Session,
    scope: Scope,
    seller: OrganisationRow,
    rules: tuple[Rules, Rules],
    changed_from: date,
    *,
    all_of_it: bool = False,
) -> Looked:
    """What the second of two lists of rules would change, beside the first: quickly, or leaving nothing out."""
    looking = Looking(scope, seller, *rules, paying=seller.id in scope.members_money())
    end = scope.now.date() + timedelta(days=1)
    if all_of_it:
        return looking.look(tx, max(changed_from, FIRST_DAY), end, UNBOUNDED)
    first = max(changed_from, (scope.now - LOOKED_BACK).date())
    found = looking.look(tx, first, end, LOOKED_AT)
    found.more = found.more or first > changed_from
    return found
