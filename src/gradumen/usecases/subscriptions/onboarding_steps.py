"""What a customer that comes on board gets, step by step: organisation, details, limits, projects, people, tiers."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, localcontext
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Invalid
from gradumen.core.exact import EXACT, add, money
from gradumen.core.messages import Kind, day_words
from gradumen.core.organisations.sign_in_policies import Demand
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Counted, Measure, Measures, amount_words, measure_words, of_words
from gradumen.core.subscriptions.onboardings import ENDLESS, welcome_of
from gradumen.store.organisations.sign_in_policies import set_demand
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.quotas.measures import load_measures
from gradumen.store.subscriptions.tables import SubscriptionRow
from gradumen.store.unit_of_work import Session, UnitOfWork
from gradumen.usecases.access.invitations import invite_member
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.catalogue.member_services import read_services
from gradumen.usecases.catalogue.offers import Offers, load_offers
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.limits import Limits
from gradumen.usecases.messages import Reader, mail_of, tell, text_of
from gradumen.usecases.organisations.details import change_details
from gradumen.usecases.organisations.organisations import create_organisation
from gradumen.usecases.organisations.projects import create_project
from gradumen.usecases.quotas.quotas import grant_limit, quotas_held
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.subscriptions.onboarding_accounts import want_accounts
from gradumen.usecases.subscriptions.onboarding_offers import offer_by_name
from gradumen.usecases.subscriptions.onboarding_sites import give_sites
from gradumen.usecases.subscriptions.orders import monthly_of
from gradumen.usecases.subscriptions.subscriptions import Wanted, create_subscription
from gradumen.wire.messages import MailBody
from gradumen.wire.organisations.projects import ProjectCreate
from gradumen.wire.subscriptions.onboardings import (
    LeavesBody,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingSubscription,
)


@dataclass(frozen=True, slots=True)
class Outcome:
    """A customer that is on board: who it is, what was done in sentences, and what that comes to."""

    organisation: UUID
    slug: str
    name: str
    sentences: list[str]
    monthly: Mapping[str, Decimal]
    """Fees by currency."""
    limits: Mapping[Measure, Decimal]
    """Those that it was given; no limit is `ENDLESS`."""
    accounts: int
    """So many accounts in clouds are to be made first, before its people and tiers."""
    welcome: MailBody | None
    """What each of its people is sent, as it will read."""

    @property
    def sums(self) -> Mapping[str, Decimal]:
        """What limits of approval are held against."""
        return {**self.monthly, **{str(measure): limit for measure, limit in self.limits.items()}}


def come_on_board(
    joined: UnitOfWork, tx: Session, caller: Caller, seller: OrganisationRow, customer: OnboardingCreate
) -> Outcome:
    """All of one customer, step by step, each as by itself; what a step refuses is refused here."""
    made = create_organisation(
        joined,
        caller,
        parent=seller.slug,
        type=customer.type,
        slug=customer.slug,
        name=customer.name,
        country=customer.country or seller.country,
        currency=customer.currency or seller.currency,
        billing_zone=customer.billing_zone or zone_name(tx, seller.id, load_scope(tx, caller).now.date()),
        cost_centre=customer.cost_centre,
        segment=customer.segment,
        starts_on=customer.starts_on,
    )
    row = get_organisation(tx, load_scope(tx, caller), made.slug)
    begins = f" from {day_words(customer.starts_on)}" if customer.starts_on else ""
    sentences = [f"{made.name} is a {made.type} of {seller.name}{begins}, billed in {made.currency}."]
    sentences += _details(joined, caller, made.slug, customer)
    sentences += _demand(tx, caller, row, customer)
    limits = _limits(tx, caller, row, customer)
    sentences += [f"It may have {_limit_words(measure, limit)}." for measure, limit in limits.items()]
    sentences += give_sites(joined, tx, caller, row, customer)
    sentences += offer_by_name(tx, caller, seller, row, customer.offers)
    sentences += _may_order(tx, caller, row)
    for project in customer.projects:
        wanted = ProjectCreate(**project.model_dump())
        create_project(joined, caller, organisation=made.slug, given=wanted)
        sentences.append(f"It has a project {project.name}.")
    accounts = want_accounts(tx, load_scope(tx, caller), seller, row, customer)
    sentences += [each.sentence for each in accounts]
    with tx.begin_nested() as trial:
        ended = finish(joined, tx, caller, made.slug, customer, load_scope(tx, caller).now.date())
        if accounts:
            # Its people and tiers come once its accounts stand; what would refuse them is said now.
            trial.rollback()
    welcome = _as_mail(tx, seller, ended.welcome) if ended.welcome else None
    said = sentences + ended.sentences
    return Outcome(row.id, made.slug, made.name, said, ended.monthly, limits, len(accounts), welcome)


@dataclass(frozen=True, slots=True)
class Ended:
    """The last of it: what was done in sentences, fees a month by currency, and what its people are told."""

    sentences: list[str]
    monthly: Mapping[str, Decimal]
    welcome: Mapping[str, str] | None


def finish(
    joined: UnitOfWork, tx: Session, caller: Caller, slug: str, customer: OnboardingCreate, begun: date
) -> Ended:
    """The last of it: its people and tiers, and a welcome.

    Args:
        begun: the day on which it was let through: what was promised from then on holds, however long its steps took.
    """
    sentences = []
    for person in customer.people:
        sentences += _invite(joined, tx, caller, slug, person)
    monthly: dict[str, Decimal] = {}
    what = []
    for each in customer.subscriptions:
        amount, currency, words = _subscribe(joined, tx, caller, slug, customer, each, begun)
        monthly[currency] = add([monthly.get(currency, Decimal(0)), amount])
        sentences.append(f"It has {words}: {money(amount, currency)} {currency} a month and what it uses.")
        what.append(words)
    welcome = _welcome(tx, caller, slug, customer, what)
    if welcome:
        sentences.append("Each of them is welcomed by mail, in your words.")
    return Ended(sentences, monthly, welcome)


def _invite(joined: UnitOfWork, tx: Session, caller: Caller, slug: str, person: OnboardingPerson) -> list[str]:
    """Invite one of its people, held to some services where that is wanted, with the programs it answers for."""
    scope = load_scope(tx, caller)
    services = read_services(tx, scope, get_organisation(tx, scope, slug), person.services)
    invite_member(
        joined,
        caller,
        organisation=slug,
        email=person.email,
        role=person.role,
        services=services,
        programs=person.programs,
    )
    names = load_published(tx).services
    held = ""
    if services is not None:
        held = f", ordering {_and([names[each].name for each in services])} only" if services else ", ordering nothing"
    said = [f"{person.email} is invited as {person.role}{held}, by mail."]
    said += [
        f"A token waits there for the program {each.name}, as {each.role}, for {each.days} days once it is collected."
        for each in person.programs
    ]
    return said


def _and(words: Sequence[str]) -> str:
    return " and ".join(part for part in (", ".join(words[:-1]), *words[-1:]) if part)


def _welcome(
    tx: Session, caller: Caller, slug: str, customer: OnboardingCreate, what: Sequence[str]
) -> dict[str, str] | None:
    """Send its people words of welcome, where some were written; gives what they are told."""
    words = welcome_of(customer.welcome)
    if words is None or not customer.people:
        return None
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, slug)
    seller = scope.tree.parents[row.id]
    facts = {"organisation": row.name, "welcome": words, "what": "\n".join(what) or "Its people, and what they order."}
    for person in customer.people:
        reader = Reader(person.email, "")
        tell(tx, Kind.WELCOME, reader, facts, at=caller.at, organisation=seller, sender=seller, path="/")
    return facts


def _as_mail(tx: Session, seller: OrganisationRow, facts: Mapping[str, str]) -> MailBody:
    return mail_of(Kind.WELCOME, text_of(tx, Kind.WELCOME, seller.id), facts, seller)


def _demand(tx: Session, caller: Caller, row: OrganisationRow, customer: OnboardingCreate) -> list[str]:
    """Demand a second factor of its members from their first day on, where that is wanted."""
    if not customer.second_factor:
        return []
    set_demand(tx, row.id, Demand.MEMBERS)
    acting = acting_for(load_scope(tx, caller), row.id, Right.MANAGE_ORGANISATIONS)
    record(tx, caller, "sign-in policy set", acting, row.slug, concerns=row.id, after={"second_factor": "members"})
    return ["Its members work with a second factor."]


def _may_order(tx: Session, caller: Caller, row: OrganisationRow) -> list[str]:
    """What a seller that comes on board may order and sell on; nothing is said of a tenant, whose tiers say it."""
    if row.type != "reseller":
        return []
    scope, published = load_scope(tx, caller), load_published(tx)
    offers, known = load_offers(tx, scope.tree, row.id, published)
    names = [
        renamed(plan, right.offer.offer).name if right.offer else plan.name
        for slug, plan in sorted(published.plans.items())
        if (right := offers.right(scope.tree, known, row.id, slug)).tiers
    ]
    if not names:
        return ["Nothing is offered to it yet, so it has nothing to sell on: offer it a plan."]
    return [f"It may order, and sell on, {', '.join(names)}."]


def _limit_words(measure: Measure, limit: Decimal) -> str:
    if limit == ENDLESS:
        return f"no limit of {measure_words(measure)}"
    return f"up to {amount_words(measure, limit)}{of_words(measure)}"


def _details(joined: UnitOfWork, caller: Caller, slug: str, customer: OnboardingCreate) -> list[str]:
    if customer.details is None:
        return []
    details = customer.details
    change_details(
        joined,
        caller,
        organisation=slug,
        version=None,
        billing_contacts=details.billing_contacts,
        given=details.model_dump(exclude={"billing_contacts"}),
    )
    return ["Its details are on file."]


def left_of(tx: Session, scope: Scope, seller: OrganisationRow, limits: Mapping[Measure, Decimal]) -> list[LeavesBody]:
    """What of its own a seller has left of what it gave a limit of; of what it has a limit of itself."""
    held = {each.measure: each for each in quotas_held(tx, scope, seller) if each.project is None}
    found = []
    for measure in limits:
        own = held[measure]
        if own.limit is not None and own.left is not None:
            found.append(LeavesBody(measure=measure, unit=own.unit, left=own.left, limit=own.limit))
    return found


def _limits(tx: Session, caller: Caller, row: OrganisationRow, customer: OnboardingCreate) -> dict[Measure, Decimal]:
    """Give the limits that are asked for, and what it begins with of what the seller itself has a limit of."""
    scope = load_scope(tx, caller)
    measures = load_measures(tx)
    asked = {measures.read(name): limit for name, limit in customer.limits.items()}
    seller = Limits(tx, scope.tree, [row.id])
    begins = _promised(tx, customer.subscriptions) | _counted(customer, measures)
    for measure, amount in begins.items():
        if measure not in asked and seller.limit(scope.tree.parents[row.id], measure) is not None:
            asked[measure] = amount
    given = {}
    for measure in measures.listed:
        if measure in asked:
            limit = asked[measure]
            grant_limit(tx, scope, organisation=row.slug, project=None, measure=measure, limit=limit)
            given[measure] = ENDLESS if limit is None else limit
    return given


def _counted(customer: OnboardingCreate, measures: Measures) -> dict[Measure, Decimal]:
    """The people and projects that it begins with, and what else is counted."""
    found = {Measure.USERS: len(customer.people), Measure.PROJECTS: len(customer.projects)}
    counts = {Counted.SUBSCRIPTIONS: len(customer.subscriptions), Counted.ACCOUNTS: len(customer.cloud_accounts)}
    counts[Counted.TOKENS] = sum(len(each.programs) for each in customer.people)
    found |= {each: counts.get(each.counts, 0) for each in measures.listed if each.counts is not None}
    return {measure: Decimal(count) for measure, count in found.items() if count}


def _promised(tx: Session, subscriptions: Sequence[OnboardingSubscription]) -> dict[Measure, Decimal]:
    """What tiers promise together; of plans and tiers that there are, the others are refused when they are taken."""
    published, measures = load_published(tx), load_measures(tx)
    found: dict[Measure, Decimal] = defaultdict(Decimal)
    for each in subscriptions:
        plan = published.plans.get(each.plan)
        tiers = {tier.slug: tier for tier in plan.tiers} if plan else {}
        for quota in tiers[each.tier].quotas if each.tier in tiers else ():
            with localcontext(EXACT):
                found[measures[quota.measure]] += quota.limit * each.quantity
    return found


def _as_sold(tx: Session, seller: UUID, plan: str, published: Published) -> Plan | None:
    """A plan as its seller calls it; None where it offers none of that slug."""
    offered = (each for each in Offers(tx, [seller], published).of.values() if each.slug == plan)
    return next((renamed(published.plans[plan], each.offer) for each in offered), None)


def _subscribe(
    joined: UnitOfWork,
    tx: Session,
    caller: Caller,
    slug: str,
    customer: OnboardingCreate,
    asked: OnboardingSubscription,
    begun: date,
) -> tuple[Decimal, str, str]:
    """Make a subscription; gives what it costs a month by its fees, in which currency, and what it is in words."""
    scope = load_scope(tx, caller)
    day = asked.starts_on or customer.starts_on or begun
    if day < begun:
        raise Invalid(f"starts_on {day} is over; begin on {begun} or later", field="starts_on", value=day)
    published = load_published(tx)
    named = _as_sold(tx, scope.tree.parents[get_organisation(tx, scope, slug).id], asked.plan, published)
    wanted = Wanted(
        plan=asked.plan,
        tier=asked.tier,
        name=asked.name or (named.name if named else asked.plan),
        quantity=asked.quantity,
        starts_on=day,
        ends_on=asked.ends_on,
        trial_until=asked.trial_until,
        project=asked.project,
        choices=asked.choices,
    )
    made = create_subscription(joined, caller, organisation=slug, wanted=wanted, accepted_terms=asked.accepted_terms)
    amount, currency = monthly_of(tx, tx.get_one(SubscriptionRow, made.id), day, published)
    several = f", {asked.quantity} pieces" if asked.quantity > 1 else ""
    tier = next((each.name for each in named.tiers if each.slug == asked.tier), asked.tier) if named else asked.tier
    return amount, currency, f"{made.name}, tier {tier}{several}, from {day_words(day)}"
