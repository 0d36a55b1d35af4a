"""Services and plans as their viewers see them: what is offered to them, what they have, and their own."""

from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any
from uuid import UUID

from gradumen.core.errors import NotFound
from gradumen.core.permissions import Right
from gradumen.store.catalogue import published as stored
from gradumen.store.catalogue.published import service_versions
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.subscriptions.sales import tiers_had
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.catalogue.tier_sales import list_tier_sales
from gradumen.usecases.scope import Caller, Scope, load_scope


@dataclass(frozen=True, slots=True)
class PublishedForm:
    """A published service or plan, in the written form of `docs/formats.md`.

    Of a plan: ``withdrawn`` has its tiers that are or will be withdrawn from sale, with the day; ``seller`` offers it
    to the viewer under these names (its owner, where the viewer sells it); ``offered`` is False where only a
    subscription still has it.
    """

    slug: str
    version: int
    published_at: datetime
    form: dict[str, Any]
    withdrawn: dict[str, date] = field(default_factory=dict)
    seller: str = ""
    recommended: str | None = None
    offered: bool = True


@dataclass(frozen=True, slots=True)
class _Seen:
    """How a viewer sees a plan."""

    seller: str
    tiers: dict[str, str] | None
    name: str = ""
    description: str = ""
    recommended: str | None = None
    offered: bool = True

    def form(self, document: dict[str, Any]) -> dict[str, Any]:
        """A version's document under these names, with these tiers."""
        if self.tiers is None:
            return document
        tiers = [{**tier, "name": self.tiers[tier["tier"]]} for tier in document["tiers"] if tier["tier"] in self.tiers]
        return {**document, "name": self.name, "description": self.description, "tiers": tiers}


def _seen_plans(tx: Session, scope: Scope, published: Published) -> dict[tuple[str, str], _Seen]:
    """What a caller sees of plans, by seller and slug."""
    members = list(scope.members_of())
    chains = {each for member in members for each in scope.tree.chain(member)}
    known = organisations_by_id(tx, chains)
    offers = Offers(tx, chains, published)
    having = _subscribed(tx, members)
    found: dict[tuple[str, str], _Seen] = {}
    for slug, plan in published.plans.items():
        owner = published.owners["plan", slug]
        if owner in members:
            found[known[owner].slug, slug] = _Seen(known[owner].slug, None)
        for member in members:
            if owner == member or owner not in scope.tree.chain(member):
                continue
            right = offers.right(scope.tree, known, member, slug, any_project=True)
            kept = having.get((member, slug), set()) - set(right.tiers)
            if right.tiers or kept:
                seller = scope.tree.parents[member]
                own = offers.of.get((seller, slug))
                names = {tier.slug: tier.name for tier in plan.tiers} | (dict(own.offer.tiers) if own else {})
                found[known[seller].slug, slug] = _Seen(
                    known[seller].slug,
                    {tier: names[tier] for tier in names if tier in right.tiers or tier in kept},
                    own.offer.name if own else plan.name,
                    own.offer.description if own else plan.description,
                    own.offer.recommended if own and right.tiers else None,
                    bool(right.tiers),
                )
    return found


def seen_plans(tx: Session, scope: Scope) -> set[str]:
    """The slugs of the plans that a caller may order, has, sells or owns."""
    return {slug for _, slug in _seen_plans(tx, scope, load_published(tx))}


def _subscribed(tx: Session, organisations: list[UUID]) -> dict[tuple[UUID, str], set[str]]:
    """The tiers that organisations have, by organisation and plan."""
    found: dict[tuple[UUID, str], set[str]] = {}
    for organisation, plan, tier in tiers_had(tx, organisations):
        found.setdefault((organisation, plan), set()).add(tier)
    return found


@use_case
def list_services(tx: Session, caller: Caller) -> list[PublishedForm]:
    """Services of the caller's own, and of plans that it sees, by slug; never those of somebody below it."""
    scope = load_scope(tx, caller)
    published = load_published(tx)
    seen = {slug for _, slug in _seen_plans(tx, scope, published)}
    used = {service for slug in seen for service in published.plans[slug].services}
    newest: dict[str, PublishedForm] = {}
    for row, version in service_versions(tx, owners=scope.members_of(), slugs=used):
        form = version.document
        if not scope.may(Right.MANAGE_CATALOGUE, row.organisation_id):
            form = {name: value for name, value in form.items() if name != "internal"}
        newest[row.slug] = PublishedForm(row.slug, version.number, version.published_at, form)
    return list(newest.values())


@use_case
def list_plans(tx: Session, caller: Caller) -> list[PublishedForm]:
    """Plans that the caller may order, has, sells or owns, each as its seller offers it, by slug."""
    scope = load_scope(tx, caller)
    published = load_published(tx)
    seen = _seen_plans(tx, scope, published)
    rows = {row.slug: (row, version) for row, version in stored.plan_versions(tx, {slug for _, slug in seen})}
    sales = list_tier_sales(tx, {row.id for row, _ in rows.values()})
    found: list[PublishedForm] = []
    for (_, slug), how in sorted(seen.items(), key=lambda each: (each[0][1], each[0][0])):
        row, version = rows[slug]
        withdrawn = {sale.tier: sale.withdrawn_on for sale in sales.get(row.id, ()) if sale.withdrawn_on}
        found.append(_view(slug, version, how, withdrawn))
    return found


def _view(slug: str, version: PlanVersionRow, how: _Seen, withdrawn: dict[str, date]) -> PublishedForm:
    return PublishedForm(
        slug,
        version.number,
        version.published_at,
        how.form(version.document),
        withdrawn,
        how.seller,
        how.recommended,
        how.offered,
    )


def plan_versions(tx: Session, caller: Caller, slug: str) -> list[PublishedForm]:
    """A plan's versions, oldest first, as the caller sees them.

    Raises:
        NotFound: not there, or neither offered to the caller nor its own.
    """
    scope = load_scope(tx, caller)
    seen = _seen_plans(tx, scope, load_published(tx))
    how = next((each for (_, plan), each in sorted(seen.items()) if plan == slug), None)
    if how is None:
        raise NotFound("plan", slug[:70])
    return [_view(slug, version, how, {}) for _, version in stored.plan_versions(tx, {slug})]
