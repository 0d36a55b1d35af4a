"""Changes of a subscription from a day on: what is subscribed, its card, and its special terms."""

from collections.abc import Mapping
from datetime import date
from typing import Any
from uuid import UUID

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.permissions import Right
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.pairs import raise_pairs_since
from gradumen.store.subscriptions.one_off_charges import last_charge_from
from gradumen.store.subscriptions.subscriptions import lines_of
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.card_choice import choose_card
from gradumen.usecases.catalogue.member_services import require_services
from gradumen.usecases.catalogue.offers import check_right
from gradumen.usecases.catalogue.published import Published, load_published, plan_of
from gradumen.usecases.catalogue.tier_sales import check_on_sale
from gradumen.usecases.quotas.tier_quotas import check_tier_quotas
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, today_at_seller
from gradumen.usecases.subscriptions.move_checks import follow_move
from gradumen.usecases.subscriptions.subscriptions import (
    Accepted,
    accept_terms,
    check_version,
    get_to_change,
    lock_seen,
    plan_version_row,
    record_change,
    views,
)
from gradumen.usecases.subscriptions.supply_lines import (
    by_link,
    cards_by_rules,
    check_quantity,
    from_day,
    is_tried,
    link_from,
    links_of,
    own_lines,
    read_choices,
    with_special_terms,
)
from gradumen.wire.subscriptions.subscriptions import SubscriptionBody


@use_case
def change_subscription(
    tx: Session,
    caller: Caller,
    *,
    subscription_id: UUID,
    starts_on: date,
    tier: str | None,
    quantity: int | None,
    paused: bool | None,
    version: int | None,
    plan_version: int | None = None,
    choices: Mapping[str, str] | None = None,
    accepted_terms: str | None = None,
) -> SubscriptionBody:
    """Change what is subscribed, from a day on and in all that is planned later; None leaves as is.

    Asking again changes nothing more.

    Args:
        plan_version: move to this version of the plan.
        choices: by ``service/choice``; others stay.

    Raises:
        NotActive: the organisation is suspended, closing or closed; its subscriptions can be paused and ended.
        NotOffered: another tier is asked that is not offered.
        QuotaExceeded: the quotas of the tier do not fit what the organisation was granted.
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = get_to_change(tx, scope, subscription_id, version)
    published = load_published(tx)
    asked: dict[str, Any] = {
        "tier": tier,
        "quantity": quantity,
        "paused": paused,
        "plan_version": plan_version,
        "choices": choices,
    }
    accepted = Accepted(accepted_terms, caller.user_id, caller.at)
    before = change(tx, scope, row, starts_on, accepted, published, **asked)
    record_change(tx, scope, "subscription changed", row, before, {"from": starts_on, **given(asked)})
    return views(tx, scope, [row], published)[0]


def change(
    tx: Session,
    scope: Scope,
    row: SubscriptionRow,
    starts_on: date,
    accepted: Accepted,
    published: Published,
    *,
    tier: str | None = None,
    quantity: int | None = None,
    paused: bool | None = None,
    plan_version: int | None = None,
    choices: Mapping[str, str] | None = None,
) -> dict[str, Any]:
    """Change a subscription; whose right that is was looked at. Gives what it was on that day, on its own link.

    See `change_subscription` for what refuses it.
    """
    _check_day(row, starts_on)
    buyer = tx.get_one(OrganisationRow, row.organisation_id)
    _check_asked(tx, scope, buyer, quantity, paused=paused, more=(tier, plan_version, choices))
    before = held_on(tx, row, starts_on)
    moved = None if plan_version is None else plan_version_row(tx, row.plan_id, plan_version)
    for lines in by_link(lines_of(tx, row.id)).values():
        changed = from_day(tx, lines, starts_on)
        if changed and changed[0].depth == 0 and tier not in (None, changed[0].tier):
            _check_tier(tx, scope, row, buyer, tier or "", moved or changed[0].plan_version_id, published)
            check_on_sale(tx, row.plan_id, tier or "", starts_on)
        for line in changed:
            line.tier = line.tier if tier is None else tier
            line.quantity = line.quantity if quantity is None else quantity
            line.paused = line.paused if paused is None else paused
            line.plan_version_id = line.plan_version_id if moved is None else moved.id
            _fit(tx, line, choices, published, moved=moved is not None)
    if moved is not None:
        accept_terms(tx, row, moved, plan_of(moved, published), accepted)
    tx.flush()
    follow_move(tx, scope, row, buyer, starts_on, published)
    if tier is not None or quantity is not None or moved is not None:
        check_tier_quotas(tx, scope, buyer, row, starts_on, published)
    _note_change(tx, scope, row)
    return before


def _check_asked(
    tx: Session,
    scope: Scope,
    buyer: OrganisationRow,
    quantity: int | None,
    *,
    paused: bool | None,
    more: tuple[object, ...],
) -> None:
    """Of an organisation that is not active, a subscription is paused and nothing else."""
    if any(each is not None for each in (quantity, *more)) or paused is False:
        scope.require_active(tx, buyer, or_proposed=True)
    if quantity is not None:
        check_quantity(quantity)


def given(asked: Mapping[str, Any]) -> dict[str, Any]:
    """What of it was asked."""
    return {key: value for key, value in asked.items() if value is not None}


def _fit(
    tx: Session, line: SupplyLineRow, choices: Mapping[str, str] | None, published: Published, *, moved: bool
) -> None:
    """Check a changed line against its plan: special terms, and choices, of which those that stand are kept."""
    plan = plan_of(tx.get_one(PlanVersionRow, line.plan_version_id), published)
    with_special_terms(plan.tier(line.tier), line.special_terms, plan, published)
    if choices is not None or moved:
        kept = {key: value for key, value in line.choices.items() if _stands(key, value, plan, published)}
        line.choices = read_choices({**kept, **(choices or {})}, plan, published)


def held_on(tx: Session, row: SubscriptionRow, day: date) -> dict[str, Any]:
    """What a subscription is on a day, on its own link."""
    held = [line for line in own_lines(tx, row.id) if line.starts_on <= day][-1]
    return {"tier": held.tier, "quantity": held.quantity, "paused": held.paused, "choices": dict(held.choices)}


def _check_day(row: SubscriptionRow, starts_on: date) -> None:
    if not row.starts_on <= starts_on < (row.ends_on or date.max):
        raise Invalid(
            f"a change lies between {row.starts_on} and {row.ends_on or 'any later day'}; got {starts_on}",
            field="starts_on",
            value=starts_on,
        )


def _check_tier(
    tx: Session,
    scope: Scope,
    row: SubscriptionRow,
    buyer: OrganisationRow,
    tier: str,
    version: PlanVersionRow | UUID,
    published: Published,
) -> None:
    """The tier is one of the plan version's, and still offered to the buyer."""
    held = version if isinstance(version, PlanVersionRow) else tx.get_one(PlanVersionRow, version)
    plan = plan_of(held, published)
    plan.tier(tier)
    if tier in {each.slug for each in published.plans[plan.slug].tiers}:
        unit = tx.get(ProjectRow, row.project_id) if row.project_id else None
        check_right(tx, scope, buyer, plan.slug, tier, unit.slug if unit else None, published)


def _stands(key: str, value: str, plan: Any, published: Published) -> bool:
    """Whether a choice made earlier is still one of the plan's."""
    service, _, slug = key.partition("/")
    offered = published.services[service].choices if service in plan.services else ()
    return any(choice.slug == slug and value in choice.values for choice in offered)


def _note_change(tx: Session, scope: Scope, row: SubscriptionRow) -> None:
    """A subscription is another one by now: its next version, which is charged anew."""
    row.version += 1
    tx.flush()
    raise_pairs_since(tx, {row.organisation_id: row.starts_on}, scope.now.date())


@use_case
def end_subscription(
    tx: Session, caller: Caller, *, subscription_id: UUID, ends_on: date | None, version: int | None
) -> SubscriptionBody:
    """Set or take back the first day that a subscription does not cover.

    Raises:
        Invalid: within a term, or without notice; on the first day it may always end, as if it had never begun, and
            on each day of a trial that the plan has.
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = get_to_change(tx, scope, subscription_id, version)
    published = load_published(tx)
    before = end(tx, scope, row, ends_on, published)
    if ends_on != before:
        record_change(tx, scope, "subscription ended", row, {"ends_on": before}, {"ends_on": ends_on})
    return views(tx, scope, [row], published)[0]


def end(tx: Session, scope: Scope, row: SubscriptionRow, ends_on: date | None, published: Published) -> date | None:
    """End a subscription, or let it go on; whose right that is was looked at. Gives the day that it was.

    See `end_subscription` for what refuses it.
    """
    if ends_on is not None and ends_on < row.starts_on:
        raise Invalid(f"ends_on {ends_on} is before starts_on {row.starts_on}", field="ends_on", value=ends_on)
    if ends_on not in (None, row.ends_on):
        lines = own_lines(tx, row.id)
        plan = plan_of(tx.get_one(PlanVersionRow, lines[-1].plan_version_id), published)
        if not is_tried(lines, plan, row.starts_on, ends_on):
            plan.duration.check_end(row.starts_on, ends_on, today_at_seller(tx, scope, row.organisation_id))
    _check_entered(tx, scope, row, ends_on)
    before, row.ends_on = row.ends_on, ends_on
    if before is not None and (ends_on is None or ends_on > before):
        buyer = tx.get_one(OrganisationRow, row.organisation_id)
        _check_sold_on(tx, scope, row, buyer, published)
        follow_move(tx, scope, row, buyer, before, published)
    _note_change(tx, scope, row)
    return before


def _check_sold_on(
    tx: Session, scope: Scope, row: SubscriptionRow, buyer: OrganisationRow, published: Published
) -> None:
    """Check that those who sold a subscription when it was to end are those of its chain now.

    Raises:
        Conflict: its buyer, or one that sells to it, has moved since.
    """
    goes_on = [lines[-1] for lines in by_link(lines_of(tx, row.id)).values() if lines[-1].ends_on is None]
    sold = {(line.buyer_id, line.seller_id) for line in goes_on}
    plan = plan_of(tx.get_one(PlanVersionRow, goes_on[0].plan_version_id), published)
    chain = scope.tree.chain(buyer.id)
    owners = {published.owners["service", each] for each in plan.services} if plan.services else set()
    if not owners <= set(chain) or sold != set(links_of(chain, plan, published)):
        raise Conflict(
            f"'{row.name}' was bought on another chain of sellers, and ends with it; subscribe anew instead",
            field="ends_on",
        )


def _check_entered(tx: Session, scope: Scope, row: SubscriptionRow, ends_on: date | None) -> None:
    """No charge by hand of the seller that ends it stands on a day that the subscription would not cover any more.

    What another seller of the chain charges by hand is its own: it neither binds the end nor is told.
    """
    if ends_on is None:
        return
    seller = scope.tree.parents.get(row.organisation_id, row.organisation_id)
    found = last_charge_from(tx, row.id, seller, ends_on)
    if found is not None:
        message = f"a one-off charge stands on {found.day}; withdraw it first, or end after that day"
        raise Invalid(message, field="ends_on", value=ends_on)


@use_case
def agree_special_terms(
    tx: Session,
    caller: Caller,
    *,
    subscription_id: UUID,
    seller: str,
    starts_on: date,
    rate_card: str | None,
    special_terms: Mapping[str, Any] | None,
    version: int | None,
) -> SubscriptionBody:
    """Give a subscription a card, allowances or levels of its own on the link of one seller, from a day on.

    Args:
        rate_card: a card of the seller's; empty text goes back to the one by the seller's rules, and to the one that
            this goes over to where the subscription renews. None leaves as is.
        special_terms: ``allowances`` and ``levels``, as in a tier; an empty mapping goes back to the tier's.

    Raises:
        NotFound: no such subscription, or the seller sells nothing of it.
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, seller)
    row = lock_seen(tx, scope, subscription_id)
    sold = [line for line in lines_of(tx, row.id) if line.seller_id == owner.id]
    if not sold:
        raise NotFound("subscription", subscription_id)
    scope.require(Right.MANAGE_SUBSCRIPTIONS, owner)
    require_services(tx, scope, owner.id, row.plan_id)
    check_version(row, version)
    _check_day(row, starts_on)
    published = load_published(tx)
    changed = from_day(tx, link_from(sold, starts_on), starts_on)
    if not changed:
        message = f"{owner.name} sells this subscription until {sold[-1].ends_on}; choose a day before"
        raise Invalid(message, field="starts_on", value=starts_on)
    if rate_card == "":
        changed = _back_to_rules(tx, owner, row, changed, published)
    for line in changed:
        _agree(tx, owner, line, rate_card, special_terms, published)
    after = {
        "from": starts_on,
        "rate_card": rate_card,
        "special_terms": None if special_terms is None else dict(special_terms),
    }
    record(tx, caller, "own terms set", owner.id, row.name, concerns=changed[0].buyer_id, after=after)
    _note_change(tx, scope, row)
    return views(tx, scope, [row], published)[0]


def _back_to_rules(
    tx: Session, seller: OrganisationRow, row: SubscriptionRow, lines: list[SupplyLineRow], published: Published
) -> list[SupplyLineRow]:
    """Lines of a link by the seller's rules again; one more where the card goes over to another within one of them."""
    buyer = tx.get_one(OrganisationRow, lines[0].buyer_id)
    plan = plan_of(tx.get_one(PlanVersionRow, lines[0].plan_version_id), published)
    found = list(lines)
    for day, card in cards_by_rules(tx, seller, buyer, plan, row.starts_on):
        held = from_day(tx, lines, day)
        found += [line for line in held if not any(line is each for each in found)]
        for line in held:
            line.rate_card_id, line.card_named = card.id, False
    return found


def _agree(
    tx: Session,
    seller: OrganisationRow,
    line: SupplyLineRow,
    rate_card: str | None,
    special_terms: Mapping[str, Any] | None,
    published: Published,
) -> None:
    if rate_card:
        buyer = tx.get_one(OrganisationRow, line.buyer_id)
        line.rate_card_id, line.card_named = choose_card(tx, seller, buyer, rate_card).id, True
    if special_terms is not None:
        plan = plan_of(tx.get_one(PlanVersionRow, line.plan_version_id), published)
        with_special_terms(plan.tier(line.tier), special_terms, plan, published)
        line.special_terms = dict(special_terms)
