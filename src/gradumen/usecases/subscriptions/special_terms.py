"""Special terms: where what a seller sells differs from its plans, tiers and rules."""

from collections.abc import Iterator
from datetime import date
from itertools import pairwise
from typing import Any
from uuid import UUID

from gradumen.core.errors import Forbidden, NotPriceable
from gradumen.core.permissions import Right
from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.catalogue.tables import PlanVersionRow, RateCardRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.assignment_rules import rules_sold_by
from gradumen.store.subscriptions.subscriptions import all_sold_lines
from gradumen.store.subscriptions.tables import SupplyLineRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.card_choice import choose_among
from gradumen.usecases.catalogue.published import Published, load_published, plan_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope, today_of
from gradumen.wire.catalogue.forms.plans import plan_form
from gradumen.wire.subscriptions.subscriptions import SpecialTermsBody


@use_case
def list_special_terms(tx: Session, caller: Caller, *, seller: str) -> list[SpecialTermsBody]:
    """The special terms of what a seller sells, today's and planned ones, by organisation and subscription.

    Raises:
        Forbidden: the caller is no member of the seller: prices are its own.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, seller)
    if owner.id not in scope.members_money():
        raise Forbidden(right=Right.READ_MONEY, organisation=owner.slug, name=owner.name)
    today = today_of(tx, scope, owner)
    published = load_published(tx)
    rows = all_sold_lines(tx, owner.id, today)
    names = organisations_by_id(
        tx, {each.organisation_id for _, each, _ in rows} | {line.buyer_id for line, _, _ in rows}
    )
    listed = cards_of(tx, owner.id)
    cards = {row.id: row.slug for row in listed}
    by_rule = {id: _by_rule(listed, owner, names[id]) for id in {line.buyer_id for line, _, _ in rows}}
    found: list[SpecialTermsBody] = []
    seen: set[tuple[UUID, str, str, str]] = set()
    for row, follows in pairwise([*rows, None]):
        if row is None:
            continue
        line, subscription, version = row
        over = follows is not None and follows[1].id == subscription.id and follows[0].starts_on <= today
        if over:
            continue
        holder = names[subscription.organisation_id]
        own = _of_line(line, version, by_rule[line.buyer_id], cards, published)
        for kind, what, standard, value in own:
            key = (subscription.id, kind, what, value)
            if key not in seen:
                seen.add(key)
                found.append(
                    SpecialTermsBody(
                        organisation=holder.slug,
                        organisation_name=holder.name,
                        subscription=subscription.name,
                        kind=kind,
                        what=what,
                        standard=standard,
                        own=value,
                        starts_on=line.starts_on,
                    )
                )
    found += _assignments(tx, owner, names, today)
    return sorted(found, key=lambda each: (each.organisation, each.subscription, each.kind, each.what, each.starts_on))


def _by_rule(cards: list[RateCardRow], seller: OrganisationRow, buyer: OrganisationRow) -> str | None:
    """The card that the seller's rules give a buyer; None if none does."""
    try:
        return choose_among(cards, seller, buyer, None).slug
    except NotPriceable:
        return None


def _of_line(
    line: SupplyLineRow, version: PlanVersionRow, by_rule: str | None, cards: dict[UUID, str], published: Published
) -> Iterator[tuple[str, str, str | None, str]]:
    """Kind, what, standard and own value of each special_terms of a line."""
    if cards[line.rate_card_id] != by_rule:
        yield "rate_card", version.document["plan"], by_rule, cards[line.rate_card_id]
    plan = plan_of(version, published)
    newest = published.forms["plan", plan.slug][-1][0]
    if version.number != newest:
        yield "plan_version", plan.slug, str(newest), str(version.number)
    tier: dict[str, Any] = next(each for each in plan_form(plan)["tiers"] if each["tier"] == line.tier)
    for kind, field in (("allowance", "allowances"), ("level", "levels")):
        for what, value in line.special_terms.get(field, {}).items():
            standard = tier.get(field, {}).get(what)
            if standard != value:
                yield kind, what, standard, str(value)


def _assignments(
    tx: Session, seller: OrganisationRow, names: dict[UUID, OrganisationRow], today: date
) -> Iterator[SpecialTermsBody]:
    """Single resources that a rule gives to a subscription."""
    rows = rules_sold_by(tx, seller.id, today)
    for rule, subscription in rows:
        if "resource" in rule.conditions:
            what = _resource_words(rule.conditions["resource"])
            yield SpecialTermsBody(
                organisation=names[rule.organisation_id].slug,
                organisation_name=names[rule.organisation_id].name,
                subscription=subscription,
                kind="assignment",
                what=what,
                standard=None,
                own=f"by rule {rule.slug}",
                starts_on=rule.starts_on,
            )


def _resource_words(condition: Any) -> str:
    """What a rule asks of resources, in words.

    >>> _resource_words("vm-1"), _resource_words(["a", "b"]), _resource_words({"prefix": "dish"})
    ('vm-1', 'a or b', 'resources beginning with dish')
    """
    if isinstance(condition, dict):
        ((kind, text),) = condition.items()
        return f"resources beginning with {text}" if kind == "prefix" else f"resources with {text} in their name"
    return " or ".join(map(str, condition)) if isinstance(condition, list) else str(condition)
