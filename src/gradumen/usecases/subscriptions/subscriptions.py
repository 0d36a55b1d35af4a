"""Subscriptions: a buyer has a tier of a plan, with a supply line on every link above it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Counted
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_of
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, seen_since
from gradumen.store.pairs import raise_pairs_since
from gradumen.store.subscriptions.subscriptions import (
    acceptances,
    find_plan_version,
    is_visible,
    nearest_lines,
    newest_plan_version,
    terms_accepted,
    visible_subscriptions,
)
from gradumen.store.subscriptions.tables import AcceptedTermsRow, SubscriptionRow
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.member_services import require_services
from gradumen.usecases.catalogue.offers import check_right
from gradumen.usecases.catalogue.published import Published, load_published, plan_of
from gradumen.usecases.catalogue.tier_sales import check_on_sale
from gradumen.usecases.limits import check_room_for
from gradumen.usecases.quotas.tier_quotas import check_tier_quotas
from gradumen.usecases.scope import Caller, Scope, get_organisation, get_project, load_scope, today_at_seller
from gradumen.usecases.subscriptions.move_checks import follow_move
from gradumen.usecases.subscriptions.supply_lines import (
    SAME,
    Held,
    add_lines,
    check_quantity,
    links_of,
    read_choices,
)
from gradumen.wire.subscriptions.subscriptions import AcceptedTermsBody, StretchBody, SubscriptionBody

HALF_A_DAY = timedelta(hours=12)
"""The day that begins with a moment, midnight of some zone, is that of half a day later."""


@dataclass(frozen=True, slots=True)
class Accepted:
    """The version of a plan's terms that somebody accepted, and when; None where none was."""

    terms: str | None
    user_id: UUID
    at: datetime


@dataclass(frozen=True, slots=True)
class Wanted:
    """A subscription that is to be made.

    ``rate_card`` is the slug of a card of the direct seller (None takes the one that fits the buyer), ``trial_until``
    the first day that is charged (a trial that is to end has it as ``ends_on`` too; sellers above charge what is beyond
    the plan's own trial). ``choices`` go by ``service/choice``; what is not chosen has its default.
    """

    plan: str
    tier: str
    name: str
    quantity: int
    starts_on: date
    project: str | None = None
    ends_on: date | None = None
    rate_card: str | None = None
    trial_until: date | None = None
    choices: Mapping[str, str] | None = None


@use_case
def create_subscription(
    tx: Session, caller: Caller, *, organisation: str, wanted: Wanted, accepted_terms: str | None = None
) -> SubscriptionBody:
    """Subscribe an organisation (or one project of it) to a tier, on every link of its chain; its seller does.

    Args:
        accepted_terms: the version of the plan's terms that was accepted; needed where the plan has terms.

    Raises:
        NotActive: the buyer is suspended, closing or closed. NotOffered: a seller does not offer the tier to its buyer.
        NotPriceable: a seller of the chain has no rate card in its buyer's currency.
        QuotaExceeded: the tier's quotas do not fit what the organisation was granted.
        Conflict: the organisation has a subscription of that name.
    """
    scope = load_scope(tx, caller)
    buyer = get_organisation(tx, scope, organisation)
    seller_id = _selling(tx, scope, buyer)
    require_services(tx, scope, seller_id, wanted.plan)
    published = load_published(tx)
    row = subscribe(tx, scope, buyer, wanted, Accepted(accepted_terms, caller.user_id, caller.at), published)
    record(tx, caller, "subscription made", seller_id, row.name, concerns=buyer.id, after=told(wanted))
    return views(tx, scope, [row], published)[0]


def told(wanted: Wanted) -> dict[str, Any]:
    """What the record says of a subscription that was made."""
    return {name: getattr(wanted, name) for name in ("plan", "tier", "quantity", "starts_on", "ends_on")}


def subscribe(
    tx: Session, scope: Scope, buyer: OrganisationRow, wanted: Wanted, accepted: Accepted, published: Published
) -> SubscriptionRow:
    """Make a subscription; whose right that is was looked at. See `create_subscription` for what refuses it.

    Where its buyer is to move, it moves with it.
    """
    unit = get_project(tx, buyer, wanted.project) if wanted.project is not None else None
    check_right(tx, scope, buyer, wanted.plan, wanted.tier, wanted.project, published)
    version = newest_plan(tx, wanted.plan)
    found = plan_of(version, published)
    check_on_sale(tx, version.plan_id, wanted.tier, wanted.starts_on)
    check_quantity(wanted.quantity)
    _check_days(wanted, found)
    chosen = read_choices(wanted.choices or {}, found, published)
    check_room_for(tx, scope, buyer, Counted.SUBSCRIPTIONS)
    row = _new_row(tx, buyer, unit, version, wanted, scope.caller.at)
    accept_terms(tx, row, version, found, accepted)
    on_trial = wanted.trial_until is not None
    values = (version.id, wanted.tier, wanted.quantity, False, on_trial, chosen)
    held: list[Held] = [(wanted.starts_on, dict(zip(SAME, values, strict=True)))]
    if wanted.trial_until is not None and wanted.trial_until != wanted.ends_on:
        held.append((wanted.trial_until, held[0][1] | {"trial": False}))
    links = links_of(scope.tree.chain(buyer.id), found, published)
    add_lines(tx, row, links, found, held, wanted.rate_card)
    follow_move(tx, scope, row, buyer, wanted.starts_on, published)
    check_tier_quotas(tx, scope, buyer, row, wanted.starts_on, published)
    raise_pairs_since(tx, {buyer.id: wanted.starts_on}, scope.now.date())
    return row


def _selling(tx: Session, scope: Scope, buyer: OrganisationRow) -> UUID:
    """The direct seller, for whom the caller may sell; to a buyer to whom it can be sold."""
    seller = scope.tree.parents.get(buyer.id, buyer.id)
    if not scope.may(Right.MANAGE_SUBSCRIPTIONS, seller):
        raise scope.refused_by_seller(tx, Right.MANAGE_SUBSCRIPTIONS, buyer)
    scope.require_active(tx, buyer, or_proposed=True)
    return seller


def _new_row(
    tx: Session, buyer: OrganisationRow, unit: ProjectRow | None, version: PlanVersionRow, wanted: Wanted, at: datetime
) -> SubscriptionRow:
    row = SubscriptionRow(
        id=uuid4(),
        organisation_id=buyer.id,
        project_id=unit.id if unit else None,
        plan_id=version.plan_id,
        name=name_of(wanted.name, field="name"),
        starts_on=wanted.starts_on,
        ends_on=wanted.ends_on,
        version=1,
        created_at=at,
    )
    if not add_new(tx, row):
        raise Conflict(
            f"'{buyer.slug}' has a subscription '{wanted.name}' already; give this one another name", field="name"
        )
    return row


def _check_days(wanted: Wanted, plan: Plan) -> None:
    """The days are in order, and cover the plan's first term, unless it ends as a trial that the plan has."""
    starts_on, ends_on, trial_until = wanted.starts_on, wanted.ends_on, wanted.trial_until
    if not date(2000, 1, 1) <= starts_on <= date(2200, 1, 1):
        raise Invalid(f"starts_on {starts_on} is out of range", field="starts_on", value=starts_on)
    if ends_on is not None and ends_on <= starts_on:
        raise Invalid(f"ends_on {ends_on} must be after starts_on {starts_on}", field="ends_on", value=ends_on)
    if trial_until is not None and not starts_on < trial_until <= (ends_on or trial_until):
        raise Invalid(
            f"trial_until {trial_until} must be after starts_on {starts_on} and not after ends_on",
            field="trial_until",
            value=trial_until,
        )
    if ends_on is not None and (ends_on != trial_until or ends_on > plan.tried_until(starts_on)):
        plan.duration.check_term(starts_on, ends_on)


def newest_plan(tx: Session, slug: str) -> PlanVersionRow:
    """The newest version of a plan.

    Raises:
        NotFound: there is none.
    """
    found = newest_plan_version(tx, slug)
    if found is None:
        raise NotFound("plan", slug[:70])
    return found


def plan_version_row(tx: Session, plan: UUID, number: int) -> PlanVersionRow:
    """One version of a plan.

    Raises:
        NotFound: there is none of that number.
    """
    found = find_plan_version(tx, plan, number)
    if found is None:
        raise NotFound("plan version", number)
    return found


def accept_terms(tx: Session, row: SubscriptionRow, version: PlanVersionRow, plan: Plan, accepted: Accepted) -> None:
    """Record that somebody accepted a plan version's terms, unless the same terms are accepted already.

    Raises:
        Invalid: the plan has terms and these were not accepted.
    """
    if plan.terms is None:
        return
    if plan.terms.version in terms_accepted(tx, row.id):
        return
    if accepted.terms != plan.terms.version:
        raise Invalid(
            f"plan '{plan.slug}' has the terms '{plan.terms.version}'; read them, and give that as accepted_terms",
            field="accepted_terms",
            value=accepted.terms,
        )
    tx.add(
        AcceptedTermsRow(
            subscription_id=row.id,
            plan_version_id=version.id,
            terms=plan.terms.version,
            accepted_by=accepted.user_id,
            accepted_at=accepted.at,
        )
    )
    tx.flush()


def get_to_change(tx: Session, scope: Scope, subscription_id: UUID, version: int | None) -> SubscriptionRow:
    """A subscription to change, which its direct seller may.

    Raises:
        NotFound: not there or not in scope.
        EditedMeanwhile: it is at another version.
    """
    row = lock_seen(tx, scope, subscription_id)
    if not scope.may(Right.MANAGE_SUBSCRIPTIONS, scope.tree.parents.get(row.organisation_id, row.organisation_id)):
        raise Forbidden(right=Right.MANAGE_SUBSCRIPTIONS, organisation="the seller of this subscription")
    require_services(tx, scope, scope.tree.parents.get(row.organisation_id, row.organisation_id), row.plan_id)
    check_version(row, version)
    return row


def check_version(row: SubscriptionRow, version: int | None) -> None:
    """Check that nobody changed a subscription meanwhile.

    Raises:
        EditedMeanwhile: it is at another version.
    """
    if version is not None and version != row.version:
        raise EditedMeanwhile(
            f"this subscription is at version {row.version}, you changed {version}; look again", version=row.version
        )


def record_change(
    tx: Session, scope: Scope, action: str, row: SubscriptionRow, before: Mapping[str, Any], after: Mapping[str, Any]
) -> None:
    """Write down what a subscription's direct seller does."""
    seller = scope.tree.parents.get(row.organisation_id, row.organisation_id)
    record(tx, scope.caller, action, seller, row.name, concerns=row.organisation_id, before=before, after=after)


def lock_seen(tx: Session, scope: Scope, subscription_id: UUID) -> SubscriptionRow:
    """A subscription that the caller sees, for a change.

    Raises:
        NotFound: not there or not in scope.
    """
    row = tx.get(SubscriptionRow, subscription_id, with_for_update=True)
    if row is None or row.organisation_id not in scope.seen or not is_visible(tx, subscription_id, scope.members_of()):
        raise NotFound("subscription", subscription_id)
    return row


@use_case
def list_subscriptions(tx: Session, caller: Caller, *, organisation: str, below: bool) -> list[SubscriptionBody]:
    """The subscriptions of an organisation, or of it and all below, by organisation and name.

    Of those below only what the caller's organisations sell or buy of them: others' retail is their own.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    owners = scope.tree.below([owner.id]) if below else {owner.id}
    rows = visible_subscriptions(tx, owners, scope.members_of())
    found = views(tx, scope, rows, load_published(tx))
    return sorted(found, key=lambda each: (each.organisation, each.name))


def views(tx: Session, scope: Scope, rows: list[SubscriptionRow], published: Published) -> list[SubscriptionBody]:
    """Subscriptions as their viewers see them; special terms and who accepted them only by those on the direct link.

    Plan, tier and choices of a seller's own making are not shown to those above it.
    """
    ids = [row.id for row in rows]
    owners = organisations_by_id(tx, {row.organisation_id for row in rows})
    days = {owner: today_at_seller(tx, scope, owner) for owner in owners}
    projects = {project.id: project.slug for project in projects_of(tx, owners)}
    owner_of = {row.id: row.organisation_id for row in rows}
    stretches, plans, direct = _stretches(tx, scope, owner_of, published)
    accepted = _accepted(tx, ids)
    shown = _known_owners(scope)
    found: list[SubscriptionBody] = []
    for row in rows:
        today = days[row.organisation_id]
        held = [each for each in stretches[row.id] if each.starts_on <= today]
        now = held[-1] if held else stretches[row.id][0]
        plan = plans[row.id]
        tried = now.trial and today < plan.tried_until(row.starts_on)
        found.append(
            SubscriptionBody(
                id=row.id,
                organisation=owners[row.organisation_id].slug,
                project=projects.get(row.project_id) if row.project_id else None,
                name=row.name,
                plan=plan.slug if published.owners["plan", plan.slug] in shown else None,
                plan_version=now.plan_version,
                tier=now.tier,
                quantity=now.quantity,
                starts_on=row.starts_on,
                ends_on=row.ends_on,
                earliest_end=max(today, row.starts_on) if tried else plan.duration.earliest_end(row.starts_on, today),
                notice_by=None if tried else plan.duration.notice_by(row.starts_on, today),
                version=row.version,
                stretches=stretches[row.id],
                accepted=accepted.get(row.id, []) if row.id in direct else [],
            )
        )
    return found


def _known_owners(scope: Scope) -> set[UUID]:
    """Whose plans and services a caller knows by name: those of its organisations and of all above them."""
    return {above for member in scope.members_of() for above in scope.tree.chain(member)}


def _stretches(
    tx: Session, scope: Scope, owner_of: Mapping[UUID, UUID], published: Published
) -> tuple[dict[UUID, list[StretchBody]], dict[UUID, Plan], set[UUID]]:
    """By subscription: its stretches as they are on the link that is seen, its plan; and whose direct link that is."""
    shown, ids = _known_owners(scope), list(owner_of)
    since = {each: seen_since(tx, scope.members_of(), each, scope.now) for each in set(owner_of.values())}
    found: dict[UUID, list[StretchBody]] = {each: [] for each in ids}
    plans: dict[UUID, Plan] = {}
    direct: set[UUID] = set()
    for line, version in nearest_lines(tx, ids, scope.members_of()):
        plan = plans[line.subscription_id] = plan_of(version, published)
        if line.depth == 0:
            direct.add(line.subscription_id)
        stretch = StretchBody(
            starts_on=line.starts_on,
            plan_version=version.number,
            tier=line.tier if published.owners["plan", plan.slug] in shown else None,
            quantity=line.quantity,
            paused=line.paused,
            # Who sells to the owner of the plan gives none of it.
            trial=line.trial and published.owners["plan", plan.slug] in shown,
            choices={
                choice: value
                for choice, value in line.choices.items()
                if published.owners["service", choice.partition("/")[0]] in shown
            },
            special_terms=line.special_terms if scope.sees_link(line.seller_id, line.buyer_id) else {},
        )
        before = found[line.subscription_id]
        came = since[owner_of[line.subscription_id]]
        if came is not None and line.starts_on <= (came + HALF_A_DAY).date():
            # What was before somebody came is between its sellers of then and itself.
            before.clear()
        if not before or stretch.model_copy(update={"starts_on": before[-1].starts_on}) != before[-1]:
            before.append(stretch)
    return found, plans, direct


def _accepted(tx: Session, ids: list[UUID]) -> dict[UUID, list[AcceptedTermsBody]]:
    found: dict[UUID, list[AcceptedTermsBody]] = {}
    for row, number, name in acceptances(tx, ids):
        found.setdefault(row.subscription_id, []).append(
            AcceptedTermsBody(plan_version=number, terms=row.terms, accepted_by=name, accepted_at=row.accepted_at)
        )
    return found
