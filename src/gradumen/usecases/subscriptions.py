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
from gradumen.core.fees import months_after
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.catalogue import PlanRow, PlanVersionRow, RateCardRow
from gradumen.store.organisations import OrganisationRow, ProjectRow
from gradumen.store.subscriptions import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.scope import Caller, Scope, get_organisation, get_project, load_scope, organisations_by_id
from gradumen.usecases.tier_sales import check_on_sale
from gradumen.usecases.usage import touch_months


@dataclass(frozen=True, slots=True)
class Subscription:
    """A subscription; ``ends_on`` is the first day that it does not cover, tier and quantity are those of today."""

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
    stretches: list["Stretch"]


@dataclass(frozen=True, slots=True)
class Stretch:
    """What holds from a day until the next stretch."""

    starts_on: date
    tier: str
    quantity: int
    paused: bool
    trial: bool


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
    trial_until: date | None = None,
) -> Subscription:
    """Subscribe an organisation (or one project of it) to a tier, on every link of its chain.

    Args:
        rate_card: slug of a card of the direct seller; None takes the one that fits the buyer.
        trial_until: free of charge up to this day (not included); a trial that is to end has it as ``ends_on`` too.

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
    version = newest_plan(tx, plan, chain)
    _check_tier(version, tier)
    check_on_sale(tx, version.plan_id, tier, starts_on)
    check_quantity(quantity)
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
    if trial_until is not None and not starts_on < trial_until <= (ends_on or trial_until):
        raise Invalid(
            f"trial_until {trial_until} must be after starts_on {starts_on} and not after ends_on",
            field="trial_until",
            value=trial_until,
        )
    opening = Stretch(starts_on, tier, quantity, paused=False, trial=trial_until is not None)
    stretches = [opening]
    if trial_until is not None and trial_until != ends_on:
        stretches.append(Stretch(trial_until, tier, quantity, paused=False, trial=False))
    _add_lines(tx, row, chain, stretches, rate_card)
    touch_months(tx, buyer.id, _months(starts_on, scope.now.date()))
    return _views(tx, [row], scope.now.date())[0]


def newest_plan(tx: Session, slug: str, chain: list[UUID]) -> PlanVersionRow:
    """The newest version of a plan that a seller of the chain publishes.

    Raises:
        NotFound: there is none.
    """
    found = tx.scalars(
        select(PlanVersionRow)
        .join(PlanRow)
        .where(PlanRow.slug == slug, PlanRow.organisation_id.in_(chain))
        .order_by(PlanVersionRow.number.desc())
        .limit(1)
    ).first()
    if found is None:
        raise NotFound("plan", slug[:70])
    return found


def _check_tier(version: PlanVersionRow, tier: str) -> None:
    known = [each["tier"] for each in version.document["tiers"]]
    if tier not in known:
        raise Invalid(f"the plan has no tier '{tier[:60]}'; choose one of {', '.join(known)}", field="tier", value=tier)


def check_quantity(quantity: int) -> None:
    """Check how many of a subscription are wanted."""
    if not 1 <= quantity <= 1_000_000:
        raise Invalid(f"quantity lies between 1 and 1000000; got {quantity}", field="quantity", value=quantity)


def _add_lines(
    tx: Session, row: SubscriptionRow, chain: list[UUID], stretches: list[Stretch], rate_card: str | None
) -> None:
    """Lines of each link from the buyer up; the provider's own use is a line to itself."""
    known = organisations_by_id(tx, set(chain))
    links = list(pairwise(chain)) or [(chain[0], chain[0])]
    for depth, (buyer_id, seller_id) in enumerate(links):
        card = choose_card(tx, known[seller_id], known[buyer_id], rate_card if depth == 0 else None)
        tx.add_all(
            SupplyLineRow(
                id=uuid4(),
                subscription_id=row.id,
                depth=depth,
                seller_id=seller_id,
                buyer_id=buyer_id,
                starts_on=each.starts_on,
                tier=each.tier,
                quantity=each.quantity,
                paused=each.paused,
                trial=each.trial,
                rate_card_id=card.id,
            )
            for each in stretches
        )
    tx.flush()


def choose_card(tx: Session, seller: OrganisationRow, buyer: OrganisationRow, slug: str | None) -> RateCardRow:
    """The seller's card that prices a buyer: the one named, else for its type, else for any, in its currency.

    Raises:
        NotPriceable: there is none.
    """
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
    row = _to_change(tx, scope, subscription_id, version)
    if ends_on is not None and ends_on < row.starts_on:
        raise Invalid(f"ends_on {ends_on} is before starts_on {row.starts_on}", field="ends_on", value=ends_on)
    minimum = int(tx.get_one(PlanVersionRow, row.plan_version_id).document.get("minimum-months", 0))
    if ends_on is not None and row.starts_on < ends_on < months_after(row.starts_on, minimum):
        earliest = months_after(row.starts_on, minimum)
        raise Invalid(
            f"the plan lasts at least {minimum} months, until {earliest}; end it then, or on {row.starts_on}, as if it "
            "had never begun",
            field="ends_on",
            value=ends_on,
        )
    row.ends_on, row.version = ends_on, row.version + 1
    touch_months(tx, row.organisation_id, _months(row.starts_on, scope.now.date()))
    tx.flush()
    return _views(tx, [row], scope.now.date())[0]


def _to_change(tx: Session, scope: Scope, subscription_id: UUID, version: int | None) -> SubscriptionRow:
    row = tx.get(SubscriptionRow, subscription_id, with_for_update=True)
    if row is None or row.organisation_id not in scope.seen:
        raise NotFound("subscription", subscription_id)
    if not scope.may(Right.MANAGE_SUBSCRIPTIONS, scope.tree.parents.get(row.organisation_id, row.organisation_id)):
        raise Forbidden(right=Right.MANAGE_SUBSCRIPTIONS, organisation="the seller of this subscription")
    if version is not None and version != row.version:
        raise EditedMeanwhile(
            f"this subscription is at version {row.version}, you changed {version}; look again", version=row.version
        )
    return row


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
) -> Subscription:
    """Change tier, quantity or whether it pauses, from a day on and in all that is planned later; None leaves as is.

    Asking again changes nothing more.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = _to_change(tx, scope, subscription_id, version)
    if not row.starts_on <= starts_on < (row.ends_on or date.max):
        raise Invalid(
            f"a change lies between {row.starts_on} and {row.ends_on or 'any later day'}; got {starts_on}",
            field="starts_on",
            value=starts_on,
        )
    plan_version = tx.get_one(PlanVersionRow, row.plan_version_id)
    if tier is not None:
        _check_tier(plan_version, tier)
    if quantity is not None:
        check_quantity(quantity)
    lines: dict[int, list[SupplyLineRow]] = {}
    for line in tx.scalars(
        select(SupplyLineRow).where(SupplyLineRow.subscription_id == row.id).order_by(SupplyLineRow.starts_on)
    ):
        lines.setdefault(line.depth, []).append(line)
    for stretches in lines.values():
        held = [line for line in stretches if line.starts_on <= starts_on][-1]
        if tier not in (None, held.tier):
            check_on_sale(tx, plan_version.plan_id, tier or held.tier, starts_on)
        changed = [line for line in stretches if line.starts_on >= starts_on]
        if held.starts_on < starts_on:
            changed.append(_copy(held, starts_on))
            tx.add(changed[-1])
        for line in changed:
            line.tier = line.tier if tier is None else tier
            line.quantity = line.quantity if quantity is None else quantity
            line.paused = line.paused if paused is None else paused
    row.version += 1
    touch_months(tx, row.organisation_id, _months(row.starts_on, scope.now.date()))
    tx.flush()
    return _views(tx, [row], scope.now.date())[0]


def _copy(line: SupplyLineRow, starts_on: date) -> SupplyLineRow:
    return SupplyLineRow(
        id=uuid4(),
        subscription_id=line.subscription_id,
        depth=line.depth,
        seller_id=line.seller_id,
        buyer_id=line.buyer_id,
        starts_on=starts_on,
        tier=line.tier,
        quantity=line.quantity,
        paused=line.paused,
        trial=line.trial,
        rate_card_id=line.rate_card_id,
    )


@use_case
def list_subscriptions(tx: Session, caller: Caller, *, organisation: str, below: bool) -> list[Subscription]:
    """The subscriptions of an organisation, or of it and all below, by organisation and name."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    owners = scope.tree.below([owner.id]) if below else {owner.id}
    rows = list(tx.scalars(select(SubscriptionRow).where(SubscriptionRow.organisation_id.in_(owners))))
    return sorted(_views(tx, rows, scope.now.date()), key=lambda each: (each.organisation, each.name))


def _views(tx: Session, rows: list[SubscriptionRow], today: date) -> list[Subscription]:
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
    stretches: dict[UUID, list[Stretch]] = {row.id: [] for row in rows}
    for line in tx.scalars(
        select(SupplyLineRow)
        .where(SupplyLineRow.subscription_id.in_(ids), SupplyLineRow.depth == 0)
        .order_by(SupplyLineRow.starts_on)
    ):
        stretches[line.subscription_id].append(
            Stretch(line.starts_on, line.tier, line.quantity, line.paused, line.trial)
        )
    found: list[Subscription] = []
    for row in rows:
        plan, number = plans[row.plan_version_id]
        held = [each for each in stretches[row.id] if each.starts_on <= today]
        now = held[-1] if held else stretches[row.id][0]
        found.append(
            Subscription(
                id=row.id,
                organisation=owners[row.organisation_id].slug,
                project=projects.get(row.project_id) if row.project_id else None,
                name=row.name,
                plan=plan,
                plan_version=number,
                tier=now.tier,
                quantity=now.quantity,
                starts_on=row.starts_on,
                ends_on=row.ends_on,
                version=row.version,
                stretches=stretches[row.id],
            )
        )
    return found
