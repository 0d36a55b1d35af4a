"""Assignment rules: what an organisation adds later falls to the subscription that a rule names."""

from collections.abc import Iterable
from datetime import date
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Invalid, NotFound
from gradumen.core.names import slug_of
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.assignment_rules import AssignmentRule
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import raise_pairs_since
from gradumen.store.subscriptions.assignment_rules import lock_rule, rules_of
from gradumen.store.subscriptions.subscriptions import find_subscription
from gradumen.store.subscriptions.tables import AssignmentRuleRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.member_services import require_services
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Caller, Scope, get_organisation, get_project, load_scope
from gradumen.wire.subscriptions.assignment_forms import read_conditions, rule_of
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleBody


def load_rules(tx: Session, organisations: Iterable[UUID]) -> dict[UUID, list[AssignmentRule]]:
    """The rules of organisations, in the order of their positions."""
    found: dict[UUID, list[AssignmentRule]] = {}
    for row, _ in rules_of(tx, list(organisations)):
        rule = rule_of(row.position, row.subscription_id, row.starts_on, row.ends_on, row.conditions)
        found.setdefault(row.organisation_id, []).append(rule)
    return found


@use_case
def list_assignment_rules(tx: Session, caller: Caller, *, organisation: str) -> list[AssignmentRuleBody]:
    """The rules of an organisation, in the order in which they are looked at; for its members and its seller's."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    if not scope.is_member(owner.id):
        _require(tx, scope, owner, Right.READ)
    return [_view(owner, row, name) for row, name in rules_of(tx, [owner.id])]


def _view(owner: OrganisationRow, row: AssignmentRuleRow, subscription: str) -> AssignmentRuleBody:
    return AssignmentRuleBody(
        organisation=owner.slug,
        slug=row.slug,
        subscription=subscription,
        position=row.position,
        starts_on=row.starts_on,
        ends_on=row.ends_on,
        conditions=row.conditions,
    )


@use_case
def set_assignment_rule(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    slug: str,
    subscription: str,
    position: int,
    starts_on: date,
    ends_on: date | None,
    conditions: dict[str, Any],
) -> AssignmentRuleBody:
    """Make a rule, or write one anew; asking again changes nothing. What is billed is settled on the next document.

    Raises:
        NotFound: no such organisation, project or subscription.
        Invalid: conditions of another form, or a service that the subscription's plan does not have.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    _require(tx, scope, owner)
    checked = read_conditions(conditions)
    target = find_subscription(tx, owner.id, subscription)
    if target is None:
        raise NotFound("subscription", subscription[:130])
    require_services(tx, scope, scope.tree.parents.get(owner.id, owner.id), target.plan_id)
    if "service" in checked and checked["service"] not in load_published(tx).services:
        raise Invalid(f"service '{checked['service'][:60]}' is not known", field="conditions", value=checked["service"])
    if "project" in checked:
        get_project(tx, owner, checked["project"])
    if not 0 <= position <= 10_000:
        raise Invalid(f"position lies between 0 and 10000; got {position}", field="position", value=position)
    if ends_on is not None and ends_on <= starts_on:
        raise Invalid(f"ends_on {ends_on} must be after starts_on {starts_on}", field="ends_on", value=ends_on)
    row = _find(tx, owner, slug)
    before = None if row is None else {"position": row.position, "conditions": row.conditions}
    earliest = starts_on if row is None else min(starts_on, row.starts_on)
    if row is None:
        row = AssignmentRuleRow(id=uuid4(), organisation_id=owner.id, slug=slug_of(slug, field="slug"))
        tx.add(row)
    row.subscription_id, row.position, row.starts_on, row.ends_on = target.id, position, starts_on, ends_on
    row.conditions = checked
    tx.flush()
    raise_pairs_since(tx, {owner.id: earliest}, scope.now.date())
    after = {"subscription": target.name, "position": position, "starts_on": starts_on, "conditions": checked}
    seller = scope.tree.parents.get(owner.id, owner.id)
    record(tx, caller, "assignment rule set", seller, row.slug, concerns=owner.id, before=before, after=after)
    return _view(owner, row, target.name)


@use_case
def delete_assignment_rule(tx: Session, caller: Caller, *, organisation: str, slug: str) -> None:
    """Take a rule away, as if it had never been; asking again does no harm."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    _require(tx, scope, owner)
    row = _find(tx, owner, slug)
    if row is not None:
        raise_pairs_since(tx, {owner.id: row.starts_on}, scope.now.date())
        seller = scope.tree.parents.get(owner.id, owner.id)
        record(tx, caller, "assignment rule deleted", seller, row.slug, concerns=owner.id)
        tx.delete(row)


def _find(tx: Session, owner: OrganisationRow, slug: str) -> AssignmentRuleRow | None:
    return lock_rule(tx, owner.id, slug)


def _require(tx: Session, scope: Scope, owner: OrganisationRow, right: Right = Right.MANAGE_SUBSCRIPTIONS) -> None:
    """The direct seller decides which subscription takes what."""
    if not scope.is_member(scope.tree.parents.get(owner.id, owner.id), right):
        raise scope.refused_by_seller(tx, right, owner)
