"""What a tier would cost a buyer, and what a card prices of a plan."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

from gradumen.core.catalogue.allowances import base_allowances
from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import CatalogueInvalid, Forbidden, Invalid, NotFound
from gradumen.core.exact import QUANTITY_PLACES, line_amount, number, round_half_up
from gradumen.core.periods import zone_of
from gradumen.core.permissions import Right
from gradumen.core.rating.charges import Charge, service_of
from gradumen.core.rating.estimates import Estimate, Expected, Order, coverage, estimate
from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.organisations.tables import OrganisationRow, Tree, local_day, zone_name
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.card_choice import choose_card
from gradumen.usecases.catalogue.derived_cards import expand
from gradumen.usecases.catalogue.offers import check_right, sellable
from gradumen.usecases.catalogue.published import Published, load_cards, load_published, plan_of
from gradumen.usecases.catalogue.publishing import Document
from gradumen.usecases.catalogue.tier_sales import check_on_sale
from gradumen.usecases.rating.charges import base_units, describe
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.subscriptions.subscriptions import newest_plan
from gradumen.usecases.subscriptions.supply_lines import check_quantity, find_renewal
from gradumen.wire.catalogue.forms.rate_cards import WrittenCard, read_rate_card
from gradumen.wire.rating.estimates import CardCoverageBody, EstimateBody, EstimatedLineBody, EstimatedMonthBody


@dataclass(frozen=True, slots=True)
class ExpectedUse:
    """What somebody expects to use of a meter in a month, in a unit, with attributes that decide its price."""

    meter: str
    quantity: str
    unit: str
    attributes: Mapping[str, str]


@use_case
def estimate_price(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    plan: str,
    tier: str,
    quantity: int,
    first_day: date | None,
    months: int,
    expected: Sequence[ExpectedUse],
    rate_card: str | None,
) -> EstimateBody:
    """What a tier would cost an organisation, by the card of its seller. Changes nothing.

    Args:
        rate_card: another card of the seller's, for those who may sell by it.

    Raises:
        Forbidden: the caller sees the organisation but not what it pays.
        NotPriceable: the seller has no card for it.
    """
    scope = load_scope(tx, caller)
    buyer = get_organisation(tx, scope, organisation)
    seller_id = scope.tree.parents.get(buyer.id, buyer.id)
    seller = tx.get_one(OrganisationRow, seller_id)
    _check_asking(scope, seller, buyer, rate_card)
    published = load_published(tx)
    check_right(tx, scope, buyer, plan, tier, None, published)
    version = newest_plan(tx, plan)
    card = choose_card(tx, seller, buyer, rate_card)
    found = plan_of(version, published)
    day = first_day or local_day(tx, seller_id, scope.now)
    check_on_sale(tx, version.plan_id, tier, day)
    check_quantity(quantity)
    order = _order(found, tier, quantity, day, months, expected, published)
    renewal = find_renewal(tx, seller, card, found, order.first_day)
    stored = load_cards(tx, [card.id, *([renewal[1].id] if renewal else [])], published)
    outcome = estimate(
        order,
        stored[card.id].versions,
        zone_of(zone_name(tx, seller_id, order.first_day)),
        None if renewal is None else (renewal[0], stored[renewal[1].id].versions),
    )
    return EstimateBody(
        seller=seller.slug,
        rate_card=card.slug,
        currency=outcome.currency,
        total=outcome.total,
        months=_months(outcome, order, published),
        not_priced=list(outcome.not_priced),
        renews_on=renewal[0] if renewal else None,
        renewal_card=renewal[1].slug if renewal else None,
    )


def _check_asking(scope: Scope, seller: OrganisationRow, buyer: OrganisationRow, rate_card: str | None) -> None:
    """Who sees the link may ask; another card than the buyer's is for those who may sell by it."""
    if not scope.sees_link(seller.id, buyer.id):
        raise Forbidden(right=Right.READ_MONEY, organisation=buyer.slug, name=buyer.name)
    if rate_card is not None and not scope.may(Right.MANAGE_SUBSCRIPTIONS, seller.id):
        raise Forbidden(right=Right.MANAGE_SUBSCRIPTIONS, organisation=seller.slug, name=seller.name)


def _order(
    plan: Plan,
    tier: str,
    quantity: int,
    first_day: date,
    months: int,
    expected: Sequence[ExpectedUse],
    published: Published,
) -> Order:
    return Order(
        plan=plan,
        tier=tier,
        quantity=quantity,
        first_day=first_day,
        months=months,
        expected=tuple(_expected(each, plan, published) for each in expected),
        allowances=base_allowances(plan.tier(tier), published.meters),
        meters=frozenset(meter.slug for service in plan.services for meter in published.services[service].meters),
    )


def _months(outcome: Estimate, order: Order, published: Published) -> list[EstimatedMonthBody]:
    return [
        EstimatedMonthBody(
            period=month.period.text,
            total=month.total,
            lines=[
                EstimatedLineBody(
                    description=describe(charge, order.plan, order.tier, published),
                    rate=charge.rate,
                    service=service_of(charge.kind, charge.meter),
                    quantity=_shown(charge, published),
                    unit=charge.unit,
                    amount=line_amount([charge.amount], outcome.currency),
                )
                for charge in month.charges
            ],
        )
        for month in outcome.months
    ]


def _shown(charge: Charge, published: Published) -> Decimal:
    return round_half_up(Fraction(charge.quantity) / base_units(charge, published), QUANTITY_PLACES)


def _expected(each: ExpectedUse, plan: Plan, published: Published) -> Expected:
    if each.meter not in published.meters or each.meter.partition("/")[0] not in plan.services:
        raise Invalid(
            f"meter '{each.meter[:80]}' belongs to no service of '{plan.slug}'", field="meter", value=each.meter
        )
    quantity = number(each.quantity, field="quantity", places=QUANTITY_PLACES)
    found = Expected(published.meters[each.meter], quantity, each.unit, tuple(sorted(each.attributes.items())))
    _ = found.scaled_quantity
    return found


@use_case
def check_coverage(
    tx: Session, caller: Caller, *, organisation: str, plan: str, documents: Sequence[Document]
) -> list[CardCoverageBody]:
    """Which meters of a plan the cards in the documents, or without any the seller's own, leave unpriced.

    Raises:
        NotFound: no such plan in the seller's chain.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    published = load_published(tx)
    try:
        found, _ = sellable(tx, scope.tree, seller, plan, published)
    except Invalid:
        raise NotFound("plan", plan[:70]) from None
    read = read_cards(tx, scope.tree, seller, documents, published)
    versions = [(card.version.card, card.version) for card in read]
    if not documents:
        names = {row.id: row.slug for row in cards_of(tx, seller.id)}
        versions = [(names[id], card.versions[-1]) for id, card in load_cards(tx, names, published).items()]
    return [
        CardCoverageBody(
            rate_card=name,
            plan=plan,
            meters=coverage(found, published.services, version),
            tiers_without_fee=[tier.slug for tier in found.tiers if not version.fees(plan, tier.slug)],
        )
        for name, version in sorted(versions, key=lambda pair: pair[0])
    ]


def read_cards(
    tx: Session, tree: Tree, seller: OrganisationRow, documents: Sequence[Document], published: Published
) -> list[WrittenCard]:
    """The rate cards among a seller's documents, with what they leave to others filled in.

    Raises:
        CatalogueInvalid: they have mistakes; it names all of them.
    """
    problems: list[dict[str, Any]] = []
    cards = []
    for document in documents:
        if document.kind != "rate-card":
            continue
        try:
            form = expand(tx, tree, seller, published, document.form)
            cards.append(read_rate_card(form, published.known, 1))
        except Invalid as problem:
            problems += (document.problem(each.facts.get("path", ""), each.message) for each in problem.each)
    if problems:
        raise CatalogueInvalid(problems)
    return cards
