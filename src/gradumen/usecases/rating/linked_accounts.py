"""Accounts that are linked to a new customer: what is in them already, and what a month of that would cost."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, date, timedelta
from decimal import Decimal

from gradumen.core.errors import GradumenError
from gradumen.core.exact import add, text
from gradumen.core.metering.ownership import NOBODY
from gradumen.store.metering import account_contents as store
from gradumen.store.metering.account_contents import Content
from gradumen.store.metering.cloud_feeds import feeds_of_clouds
from gradumen.store.metering.usage import attribute_sets, meter_rows, named_owners
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, UnitOfWork
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.organisations.clouds import clouds_for
from gradumen.usecases.rating.estimates import ExpectedUse, estimate_price
from gradumen.usecases.scope import Caller, Scope
from gradumen.wire.subscriptions.onboardings import (
    LinkedAccountBody,
    LinkedAccountsBody,
    LinkedUseBody,
    MonthlyBody,
    OnboardingCreate,
)

LOOKED_BACK = timedelta(days=31)
"""So much is like a month."""
Kind = tuple[str, tuple[tuple[str, str], ...]]
"""A meter, and the attributes that a price can depend on."""


def linked_accounts(
    joined: UnitOfWork, tx: Session, caller: Caller, scope: Scope, seller: OrganisationRow, customer: OnboardingCreate
) -> LinkedAccountsBody | None:
    """What is in the accounts that a customer is linked with, in the clouds of its seller; it is there by now.

    What is in those of a cloud that its seller only may use is between that cloud's owner and whoever has it now.
    """
    linked = [each for each in customer.cloud_accounts if each.link]
    own = [each for each in clouds_for(tx, scope, seller) if each.organisation_id == seller.id] if linked else []
    feeds = feeds_of_clouds(tx, [each.id for each in own])
    bodies: list[LinkedAccountBody] = []
    contents: list[Content] = []
    end = scope.now.astimezone(UTC).date()
    for account in linked:
        for cloud in (each for each in own if account.cloud in (each.slug, str(each.id))):
            feed = feeds.get(cloud.id)
            body = LinkedAccountBody(cloud_name=cloud.name, account=account.link or "", measured=feed is not None)
            if feed is not None:
                body, there = _looked_into(tx, scope, feed.id, body, end)
                contents += there
            bodies.append(body)
    if not bodies:
        return None
    monthly, not_priced = _estimated(joined, caller, customer, _kinds(tx, contents), load_published(tx), end)
    return LinkedAccountsBody(accounts=bodies, monthly=monthly, not_priced=not_priced)


def _looked_into(
    tx: Session, scope: Scope, feed: int, body: LinkedAccountBody, end: date
) -> tuple[LinkedAccountBody, list[Content]]:
    """What a feed measured in an account, up to (not including) a day."""
    first = end - LOOKED_BACK
    resources = store.resources_in(tx, feed, body.account, first, end)
    costs, costing, costs_since = store.costs_in(tx, feed, body.account, first, end)
    # Meters of costs count millionths of their currency.
    costs = [replace(each, quantity=None if each.quantity is None else each.quantity * 10**6) for each in costs]
    contents = [*store.contents_of(tx, resources, first, end), *costs]
    since = [day for day in (store.first_day_of(tx, resources), costs_since) if day is not None]
    found = {
        "resources": len(resources | costing),
        "since": min(since, default=None),
        "used": _used(_kinds(tx, contents), load_published(tx)),
        "owners": _owners(tx, scope, {each.project for each in contents}),
    }
    return body.model_copy(update=found), contents


def _kinds(tx: Session, contents: Sequence[Content]) -> dict[Kind, Decimal | None]:
    """What was used, by all that a price can depend on; None where it is not known."""
    slugs = {number: row.slug for number, row in meter_rows(tx).items()}
    sets = attribute_sets(tx, {each.attributes for each in contents})
    services = load_published(tx).services
    found: dict[Kind, list[Decimal | None]] = defaultdict(list)
    for each in contents:
        service = services.get(slugs[each.meter].partition("/")[0])
        looked_at = {attribute.slug for attribute in service.looked_at} if service else set()
        attributes = {name: value for name, value in sets[each.attributes].items() if name in looked_at}
        found[slugs[each.meter], tuple(sorted(attributes.items()))].append(each.quantity)
    known = {kind: [each for each in there if each is not None] for kind, there in found.items()}
    return {kind: add(known[kind]) if len(known[kind]) == len(there) else None for kind, there in found.items()}


def _used(kinds: Mapping[Kind, Decimal | None], published: Published) -> list[LinkedUseBody]:
    """What was used of each meter."""
    sums: dict[str, list[Decimal]] = defaultdict(list)
    for (slug, _), quantity in kinds.items():
        if quantity is not None and slug in published.meters:
            sums[slug].append(quantity)
    return [
        LinkedUseBody(
            meter=slug,
            meter_name=meter_name(slug, published),
            unit=published.meters[slug].unit.text,
            quantity=add(each),
        )
        for slug, each in sorted(sums.items())
    ]


def _owners(tx: Session, scope: Scope, projects: set[int]) -> list[str]:
    """Whose it is now: the paths of projects that the seller's people see."""
    named = named_owners(tx, frozenset(scope.tree.below(scope.members_of())))[1]
    return sorted(named[number][0] for number in projects if number != NOBODY and number in named)


def _estimated(
    joined: UnitOfWork,
    caller: Caller,
    customer: OnboardingCreate,
    kinds: Mapping[Kind, Decimal | None],
    published: Published,
    today: date,
) -> tuple[list[MonthlyBody], list[str]]:
    """What next month would cost by the customer's tiers if it used the same, fees included; and what has no price.

    A meter is of the first tier whose plan has its service. What is sampled is no sum, so it cannot be told before.
    """
    left = dict(kinds)
    sums: dict[str, Decimal] = defaultdict(Decimal)
    missing: set[str] = set()
    next_month = (today.replace(day=1) + timedelta(days=32)).replace(day=1)
    for each in customer.subscriptions:
        plan = published.plans.get(each.plan)
        services = plan.services if plan else ()
        own = {kind: left.pop(kind) for kind in kinds if kind in left and kind[0].partition("/")[0] in services}
        expected = [
            ExpectedUse(slug, text(quantity), published.meters[slug].unit.text, dict(attributes))
            for (slug, attributes), quantity in own.items()
            if quantity is not None and quantity > 0 and published.meters[slug].sampling.additive
        ]
        try:
            found = estimate_price(
                joined,
                caller,
                organisation=customer.slug,
                plan=each.plan,
                tier=each.tier,
                quantity=each.quantity,
                first_day=next_month,
                months=1,
                expected=expected,
                rate_card=None,
            )
        except GradumenError as problem:
            missing.add(f"{each.plan} {each.tier}: {problem.message}")
            continue
        sums[found.currency] += found.total
        missing |= {meter_name(slug, published) for slug in found.not_priced}
        missing |= {meter_name(slug, published) for (slug, _), quantity in own.items() if quantity is None}
    missing |= {meter_name(slug, published) for slug, _ in left if slug not in published.watched}
    return [MonthlyBody(currency=each, amount=sums[each]) for each in sorted(sums)], sorted(missing)
