"""Offers and the rights to order that come of them, link by link."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.offers import Offer, renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Invalid, NotFound, NotOffered
from gradumen.core.permissions import Right
from gradumen.store.catalogue.published import offers_of
from gradumen.store.organisations.organisations import find_project, organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, Tree
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.catalogue.forms.offers import read_offer
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.offers import OfferBody


@dataclass(frozen=True, slots=True)
class StoredOffer:
    """A seller's newest offer of a plan."""

    seller: UUID
    plan: UUID
    slug: str
    version: int
    published_at: datetime
    offer: Offer
    form: dict[str, Any]


@dataclass(frozen=True, slots=True)
class RightToOrder:
    """What somebody may order of a plan: tiers with the names that its seller gives them."""

    tiers: dict[str, str]
    offer: StoredOffer | None


class Offers:
    """The newest offers of some sellers."""

    def __init__(self, tx: Session, sellers: Iterable[UUID], published: Published) -> None:
        rows = offers_of(tx, list(sellers))
        newest = {(row.organisation_id, slug): (row, version) for row, version, slug in rows}
        self.of: dict[tuple[UUID, str], StoredOffer] = {
            (seller, slug): StoredOffer(
                seller,
                row.plan_id,
                slug,
                version.number,
                version.published_at,
                offer_of(version.document, published.plans[slug], published.stored),
                version.document,
            )
            for (seller, slug), (row, version) in newest.items()
        }
        self._published = published

    def right(
        self,
        tree: Tree,
        known: Mapping[UUID, OrganisationRow],
        buyer: UUID,
        plan: str,
        *,
        project: str | None = None,
        any_project: bool = False,
    ) -> RightToOrder:
        """What a buyer may order of a plan: what its seller offers to it, and may offer itself.

        Args:
            known: the organisations of the buyer's chain.
            any_project: what is offered to a project of the buyer counts too.
        """
        owner = self._published.owners.get(("plan", plan))
        own = {tier.slug: tier.name for tier in self._published.plans[plan].tiers}
        if owner == buyer:
            return RightToOrder(own, None)
        nearest: StoredOffer | None = None
        tiers: dict[str, str] = {}
        for depth, (each, seller) in enumerate(pairwise(tree.chain(buyer))):
            found = self.of.get((seller, plan))
            row = known[each]
            wanted = project if depth == 0 else None
            if found is None or not (
                found.offer.reaches(row.slug, row.type, wanted)
                or (depth == 0 and any_project and found.offer.concerns(row.slug, row.type))
            ):
                return RightToOrder({}, None)
            if nearest is None:
                nearest, tiers = found, dict(found.offer.tiers)
            tiers = {slug: name for slug, name in tiers.items() if slug in found.offer.tiers and slug in own}
            if seller == owner:
                return RightToOrder(tiers, nearest)
        return RightToOrder({}, None)


def offer_of(form: dict[str, Any], plan: Plan, known: Known) -> Offer:
    """A stored offer; tiers and floors that the plan's newest version does not have any more are left out."""
    slugs = {tier.slug for tier in plan.tiers}
    floors = [each for each in form.get("floors", []) if _floor_stands(each, plan, slugs)]
    tiers = {slug: name for slug, name in form["tiers"].items() if slug in slugs}
    recommended = form.get("recommended") if form.get("recommended") in tiers else None
    return read_offer({**form, "tiers": tiers, "floors": floors, "recommended": recommended}, plan, known, slugs)


def _floor_stands(floor: dict[str, Any], plan: Plan, tiers: set[str]) -> bool:
    return floor["tier"] in tiers if "tier" in floor else floor["meter"].partition("/")[0] in plan.services


def load_offers(tx: Session, tree: Tree, organisation: UUID, published: Published) -> tuple[Offers, dict[UUID, Any]]:
    """The offers of an organisation's chain, and the chain's organisations."""
    chain = tree.chain(organisation)
    return Offers(tx, chain, published), organisations_by_id(tx, set(chain))


def check_right(
    tx: Session, scope: Scope, buyer: OrganisationRow, plan: str, tier: str, project: str | None, published: Published
) -> None:
    """Check that a buyer may order a tier.

    Raises:
        NotFound: the plan is none of its chain's, or a seller above the caller does not offer it.
        NotOffered: its seller does not offer it this tier, or may not offer it or one of its services itself.
        Invalid: the plan has no such tier.
    """
    owner = published.owners.get(("plan", plan))
    chain = scope.tree.chain(buyer.id)
    if owner not in chain or plan not in published.plans:
        raise NotFound("plan", plan[:70])
    offers, known = load_offers(tx, scope.tree, buyer.id, published)
    for position in range(chain.index(owner) - 1, -1, -1):
        each = known[chain[position]]
        right = offers.right(scope.tree, known, each.id, plan, project=project if position == 0 else None)
        if not right.tiers and chain[position + 1] not in scope.seen and each.id != buyer.id:
            raise NotFound("plan", plan[:70])
        if tier not in right.tiers:
            published.plans[plan].tier(tier)
            may = ", ".join(right.tiers) or "none of its tiers"
            raise NotOffered(
                f"{known[chain[position + 1]].name} does not offer {plan}/{tier} to {each.name}; it may order {may}",
                plan=plan,
                tier=tier,
                organisation=each.slug,
            )
    published.plans[plan].tier(tier)
    try:
        check_services(tx, scope.tree, known[owner], published.plans[plan].services, published)
    except Invalid as lapsed:
        raise NotOffered(
            f"{known[owner].name} may not sell {plan} any more: {lapsed.message}", plan=plan, tier=tier
        ) from lapsed


def offers_to(tx: Session, tree: Tree, seller: OrganisationRow, published: Published) -> list[Offer]:
    """What a seller's own seller offers to it: the floors in these bind it."""
    parent = tree.parents.get(seller.id)
    if parent is None:
        return []
    found = Offers(tx, [parent], published).of.values()
    return [each.offer for each in found if each.offer.concerns(seller.slug, seller.type)]


def check_reached(tx: Session, tree: Tree, seller: OrganisationRow, offer: Offer) -> None:
    """Check that an offer names only the seller's direct buyers and their projects.

    Raises:
        Invalid: somebody else, or no such project.
    """
    if isinstance(offer.to, str):
        return
    children = [child for child, parent in tree.parents.items() if parent == seller.id]
    rows = {row.slug: row.id for row in organisations_by_id(tx, set(children)).values()}
    for index, each in enumerate(offer.to):
        organisation, slash, project = each.partition("/")
        if organisation not in rows:
            raise Invalid(f"'{organisation}' does not buy from you", field="to", value=each, path=f"to[{index}]")
        if slash and find_project(tx, rows[organisation], project) is None:
            message = f"'{organisation}' has no project '{project}'"
            raise Invalid(message, field="to", value=each, path=f"to[{index}]")


def sellable(
    tx: Session, tree: Tree, seller: OrganisationRow, plan: str, published: Published
) -> tuple[Plan, list[str]]:
    """A plan as a seller knows it, and the tiers that it may offer.

    Raises:
        Invalid: none of its own and none that is offered to it.
    """
    if plan in published.plans and published.owners.get(("plan", plan), seller.id) == seller.id:
        return published.plans[plan], [tier.slug for tier in published.plans[plan].tiers]
    found = RightToOrder({}, None)
    if plan in published.plans:
        offers, known = load_offers(tx, tree, seller.id, published)
        found = offers.right(tree, known, seller.id, plan)
    if found.offer is None or not found.tiers:
        message = f"plan '{plan[:60]}' is none of yours and none that is offered to you to sell on"
        raise Invalid(message, field="offer", value=plan)
    return renamed(published.plans[plan], found.offer.offer), list(found.tiers)


def check_services(
    tx: Session, tree: Tree, seller: OrganisationRow, services: Sequence[str], published: Published
) -> None:
    """Check that a plan has only services of the seller's own, or in plans that are offered to it.

    Raises:
        Invalid: names the service.
    """
    foreign = [slug for slug in services if published.owners.get(("service", slug), seller.id) != seller.id]
    if not foreign:
        return
    offers, known = load_offers(tx, tree, seller.id, published)
    may = {
        service
        for slug, plan in published.plans.items()
        if published.owners.get(("plan", slug), seller.id) != seller.id
        and offers.right(tree, known, seller.id, slug).tiers
        for service in plan.services
    }
    for slug in foreign:
        if slug not in may:
            message = f"service '{slug}' is none of yours and in no plan that is offered to you"
            raise Invalid(message, field="services", value=slug, path="services")


@use_case
def list_offers(tx: Session, caller: Caller, *, organisation: str) -> list[OfferBody]:
    """What a seller offers, by plan; for its own members.

    Raises:
        Forbidden: the caller is above the seller: its retail is its own.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, seller)
    published = load_published(tx)
    offers, known = load_offers(tx, scope.tree, seller.id, published)
    found: list[OfferBody] = []
    for (owner, slug), stored in sorted(offers.of.items(), key=lambda each: each[0][1]):
        if owner != seller.id:
            continue
        may = offers.right(scope.tree, known, seller.id, slug).tiers
        lapsed = [tier for tier in stored.offer.tiers if tier not in may]
        found.append(
            OfferBody(
                seller=seller.slug,
                plan=slug,
                version=stored.version,
                published_at=stored.published_at,
                form=dict(stored.form),
                lapsed=lapsed,
            )
        )
    return found
