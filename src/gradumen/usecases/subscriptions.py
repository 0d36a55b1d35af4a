"""Subscriptions: a buyer has a tier of a plan, with a supply line on every link above it."""

from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from gradumen.core.catalogue import name_of
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound, NotPriceable
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.catalogue import PlanRow, PlanVersionRow, RateCardRow
from gradumen.store.organisations import OrganisationRow, ProjectRow
from gradumen.store.subscriptions import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.scope import Caller, get_organisation, get_project, load_scope, organisations_by_id
from gradumen.usecases.usage import touch_months


@dataclass(frozen=True, slots=True)
class Subscription:
    """A subscription; ``ends_on`` is the first day that it does not cover."""

    id: UUID
    organisation: str
    project: str | None
    name: str
    plan: str
    plan_version: int
    tier: str
    quantity: int
    starts_on: date
    ends_on: date | None
    version: int


@use_case
def create_subscription(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    project: str | None,
    plan: str,
    tier: str,
    name: str,
    quantity: int,
    starts_on: date,
    ends_on: date | None,
    rate_card: str | None,
) -> Subscription:
    """Subscribe an organisation (or one project of it) to a tier, on every link of its chain.

    Args:
        rate_card: slug of a card of the direct seller; None takes the one that fits the buyer.

    Raises:
        NotPriceable: a seller of the chain has no rate card in its buyer's currency.
        Conflict: the organisation has a subscription of that name.
    """
    scope = load_scope(tx, caller)
    buyer = get_organisation(tx, scope, organisation)
    unit = get_project(tx, buyer, project) if project is not None else None
    seller_id = scope.tree.parents.get(buyer.id, buyer.id)
    if not scope.may(Right.MANAGE_SUBSCRIPTIONS, seller_id):
        raise Forbidden(right=Right.MANAGE_SUBSCRIPTIONS, organisation=f"{buyer.slug}'s seller")
    chain = scope.tree.chain(buyer.id)
    version, plan_row = _newest_plan(tx, plan, chain)
    _check_tier(version, tier)
    if not 1 <= quantity <= 1_000_000:
        raise Invalid(f"quantity lies between 1 and 1000000; got {quantity}", field="quantity", value=quantity)
    if not date(2000, 1, 1) <= starts_on <= date(2200, 1, 1):
        raise Invalid(f"starts_on {starts_on} is out of range", field="starts_on", value=starts_on)
    if ends_on is not None and ends_on <= starts_on:
        raise Invalid(f"ends_on {ends_on} must be after starts_on {starts_on}", field="ends_on", value=ends_on)
    row = SubscriptionRow(
        id=uuid4(),
        organisation_id=buyer.id,
        project_id=unit.id if unit else None,
        plan_version_id=version.id,
        name=name_of(name, field="name"),
        quantity=quantity,
        starts_on=starts_on,
        ends_on=ends_on,
        version=1,
        created_at=caller.at,
    )
    try:
        with tx.begin_nested():
            tx.add(row)
    except IntegrityError:
        raise Conflict(
            f"'{buyer.slug}' has a subscription '{name}' already; give this one another name", field="name"
        ) from None
    _add_lines(tx, row, chain, tier, rate_card)
    touch_months(tx, buyer.id, _months(starts_on, scope.now.date()))
    return _view(row, buyer.slug, unit.slug if unit else None, plan_row.slug, version.number, tier)


def _newest_plan(tx: Session, slug: str, chain: list[UUID]) -> tuple[PlanVersionRow, PlanRow]:
    found = tx.execute(
        select(PlanVersionRow, PlanRow)
        .join(PlanRow)
        .where(PlanRow.slug == slug, PlanRow.organisation_id.in_(chain))
        .order_by(PlanVersionRow.number.desc())
        .limit(1)
    ).first()
    if found is None:
        raise NotFound("plan", slug[:70])
    return found[0], found[1]


def _check_tier(version: PlanVersionRow, tier: str) -> None:
    known = [each["tier"] for each in version.document["tiers"]]
    if tier not in known:
        raise Invalid(f"the plan has no tier '{tier[:60]}'; choose one of {', '.join(known)}", field="tier", value=tier)


def _add_lines(tx: Session, row: SubscriptionRow, chain: list[UUID], tier: str, rate_card: str | None) -> None:
    """One line per link from the buyer up; the provider's own use is a line to itself."""
    known = organisations_by_id(tx, set(chain))
    links = list(pairwise(chain)) or [(chain[0], chain[0])]
    for depth, (buyer_id, seller_id) in enumerate(links):
        card = _choose_card(tx, known[seller_id], known[buyer_id], rate_card if depth == 0 else None)
        tx.add(
            SupplyLineRow(
                id=uuid4(),
                subscription_id=row.id,
                depth=depth,
                seller_id=seller_id,
                buyer_id=buyer_id,
                tier=tier,
                rate_card_id=card.id,
            )
        )
    tx.flush()


def _choose_card(tx: Session, seller: OrganisationRow, buyer: OrganisationRow, slug: str | None) -> RateCardRow:
    cards = list(
        tx.scalars(select(RateCardRow).where(RateCardRow.organisation_id == seller.id).order_by(RateCardRow.slug))
    )
    kind = "own-use" if seller.id == buyer.id else f"{buyer.type}s"
    fitting = [
        card
        for card in cards
        if card.currency == buyer.currency and card.buyers in (kind, "any") and slug in (None, card.slug)
    ]
    if not fitting:
        wanted = f"rate card '{slug[:60]}'" if slug else "rate card"
        raise NotPriceable(
            f"the seller on this link has no {wanted} in {buyer.currency} for {kind}; publish one first",
            field="rate_card",
            value=slug,
        )
    return min(fitting, key=lambda card: (card.buyers != kind, card.slug))


def _months(starts_on: date, today: date) -> list[date]:
    """The months from a day to today, one more on either side for zones."""
    period, last = Period(starts_on.year, starts_on.month).before(), Period(today.year, today.month).next()
    months = []
    while period <= last:
        months.append(period.first_day)
        period = period.next()
    return months


@use_case
def end_subscription(
    tx: Session, caller: Caller, *, subscription_id: UUID, ends_on: date | None, version: int | None
) -> Subscription:
    """Set or take back the first day that a subscription does not cover.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = tx.get(SubscriptionRow, subscription_id, with_for_update=True)
    if row is None or row.organisation_id not in scope.seen:
        raise NotFound("subscription", subscription_id)
    if not scope.may(Right.MANAGE_SUBSCRIPTIONS, scope.tree.parents.get(row.organisation_id, row.organisation_id)):
        raise Forbidden(right=Right.MANAGE_SUBSCRIPTIONS, organisation="the seller of this subscription")
    if version is not None and version != row.version:
        raise EditedMeanwhile(
            f"this subscription is at version {row.version}, you changed {version}; look again", version=row.version
        )
    if ends_on is not None and ends_on < row.starts_on:
        raise Invalid(f"ends_on {ends_on} is before starts_on {row.starts_on}", field="ends_on", value=ends_on)
    first_changed = min((day for day in (row.ends_on, ends_on) if day is not None), default=row.starts_on)
    row.ends_on, row.version = ends_on, row.version + 1
    touch_months(tx, row.organisation_id, _months(first_changed, scope.now.date()))
    tx.flush()
    return _views(tx, [row])[0]


@use_case
def list_subscriptions(tx: Session, caller: Caller, *, organisation: str, below: bool) -> list[Subscription]:
    """The subscriptions of an organisation, or of it and all below, by organisation and name."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    owners = scope.tree.below([owner.id]) if below else {owner.id}
    rows = list(tx.scalars(select(SubscriptionRow).where(SubscriptionRow.organisation_id.in_(owners))))
    return sorted(_views(tx, rows), key=lambda each: (each.organisation, each.name))


def _views(tx: Session, rows: list[SubscriptionRow]) -> list[Subscription]:
    ids = [row.id for row in rows]
    owners = organisations_by_id(tx, {row.organisation_id for row in rows})
    projects = {p.id: p.slug for p in tx.scalars(select(ProjectRow).where(ProjectRow.organisation_id.in_(owners)))}
    plans = {
        version.id: (slug, version.number)
        for version, slug in tx.execute(
            select(PlanVersionRow, PlanRow.slug)
            .join(PlanRow)
            .where(PlanVersionRow.id.in_({row.plan_version_id for row in rows}))
        )
    }
    tiers = {
        line.subscription_id: line.tier
        for line in tx.scalars(
            select(SupplyLineRow).where(SupplyLineRow.subscription_id.in_(ids), SupplyLineRow.depth == 0)
        )
    }
    return [
        _view(
            row,
            owners[row.organisation_id].slug,
            projects.get(row.project_id) if row.project_id else None,
            *plans[row.plan_version_id],
            tiers[row.id],
        )
        for row in rows
    ]


def _view(
    row: SubscriptionRow, organisation: str, project: str | None, plan: str, number: int, tier: str
) -> Subscription:
    return Subscription(
        row.id,
        organisation,
        project,
        row.name,
        plan,
        number,
        tier,
        row.quantity,
        row.starts_on,
        row.ends_on,
        row.version,
    )
