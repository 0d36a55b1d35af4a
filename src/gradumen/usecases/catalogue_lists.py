"""What is published, as its viewers see it."""

from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.errors import NotFound
from gradumen.core.permissions import Right
from gradumen.store.catalogue import (
    PlanRow,
    PlanVersionRow,
    RateCardRow,
    ServiceRow,
    ServiceVersionRow,
)
from gradumen.store.organisations import OrganisationRow
from gradumen.store.subscriptions import SupplyLineRow
from gradumen.store.unit_of_work import use_case
from gradumen.usecases.catalogue import differences
from gradumen.usecases.published import stored_versions
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.usecases.tier_sales import list_tier_sales


@dataclass(frozen=True, slots=True)
class PublishedForm:
    """A published service or plan in its newest version, in the written form of `docs/formats.md`."""

    slug: str
    version: int
    published_at: datetime
    form: dict[str, Any]
    withdrawn: dict[str, date] = field(default_factory=dict)
    """Of a plan: its tiers that are or will be withdrawn from sale, with the day."""


@dataclass(frozen=True, slots=True)
class RateCard:
    """A rate card of a seller, or one that prices a purchase of the viewer's."""

    id: UUID
    seller: str
    slug: str
    name: str
    currency: str
    buyers: str
    versions: list["RateCardVersionView"]


@dataclass(frozen=True, slots=True)
class RateCardVersionView:
    """One version; ``in_force`` today."""

    number: int
    starts_on: date
    in_force: bool
    form: dict[str, Any]


def _sellers_above(scope: Scope) -> set[UUID]:
    return {seller for org in scope.caller.roles for seller in scope.tree.chain(org)} | scope.seen


@use_case
def list_services(tx: Session, caller: Caller) -> list[PublishedForm]:
    """Services of the caller's own chain of sellers and of those below, by slug."""
    scope = load_scope(tx, caller)
    rows = tx.execute(
        select(ServiceRow, ServiceVersionRow)
        .join(ServiceVersionRow)
        .where(ServiceRow.organisation_id.in_(_sellers_above(scope)))
        .order_by(ServiceRow.slug, ServiceVersionRow.number)
    )
    newest: dict[str, PublishedForm] = {}
    for row, version in rows:
        form = version.document
        if not scope.may(Right.MANAGE_CATALOGUE, row.organisation_id):
            form = {name: value for name, value in form.items() if name != "internal"}
        newest[row.slug] = PublishedForm(row.slug, version.number, version.published_at, form)
    return list(newest.values())


@use_case
def list_plans(tx: Session, caller: Caller) -> list[PublishedForm]:
    """Plans of the caller's own chain of sellers and of those below, by slug."""
    sellers = _sellers_above(load_scope(tx, caller))
    rows = tx.execute(
        select(PlanRow, PlanVersionRow)
        .join(PlanVersionRow)
        .where(PlanRow.organisation_id.in_(sellers))
        .order_by(PlanRow.slug, PlanVersionRow.number)
    ).all()
    sales = list_tier_sales(tx, {row.id for row, _ in rows})
    newest = {
        row.slug: PublishedForm(
            row.slug,
            v.number,
            v.published_at,
            v.document,
            {sale.tier: sale.withdrawn_on for sale in sales.get(row.id, ()) if sale.withdrawn_on},
        )
        for row, v in rows
    }
    return list(newest.values())


@use_case
def list_rate_cards(tx: Session, caller: Caller) -> list[RateCard]:
    """The cards of sellers that the caller is a member of, and those that price what its organisations buy."""
    scope = load_scope(tx, caller)
    own = scope.members_money()
    bought = set(tx.scalars(select(SupplyLineRow.rate_card_id).where(SupplyLineRow.buyer_id.in_(own)).distinct()))
    rows = tx.execute(
        select(RateCardRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == RateCardRow.organisation_id)
        .where(RateCardRow.organisation_id.in_(own) | RateCardRow.id.in_(bought))
        .order_by(OrganisationRow.slug, RateCardRow.slug)
    )
    return [_card(tx, row, seller, scope.now.date()) for row, seller in rows]


@use_case
def read_rate_card(tx: Session, caller: Caller, *, seller: str, slug: str) -> RateCard:
    """One rate card that `list_rate_cards` has.

    Raises:
        NotFound: not there or not in scope.
    """
    return _rate_card(tx, caller, seller=seller, slug=slug)


def _rate_card(tx: Session, caller: Caller, *, seller: str, slug: str) -> RateCard:
    scope = load_scope(tx, caller)
    own = scope.members_money()
    found = tx.execute(
        select(RateCardRow, OrganisationRow.slug)
        .join(OrganisationRow, OrganisationRow.id == RateCardRow.organisation_id)
        .where(OrganisationRow.slug == seller, RateCardRow.slug == slug)
    ).first()
    if found is not None:
        row = found[0]
        bought = select(SupplyLineRow.id).where(SupplyLineRow.rate_card_id == row.id, SupplyLineRow.buyer_id.in_(own))
        if row.organisation_id in own or tx.scalars(bought.limit(1)).first() is not None:
            return _card(tx, row, found[1], scope.now.date())
    raise NotFound("rate card", f"{seller[:70]}/{slug[:70]}")


def _card(tx: Session, row: RateCardRow, seller: str, today: date) -> RateCard:
    versions = stored_versions(tx, row)
    current = max((v.starts_on for v in versions if v.starts_on <= today), default=None)
    views = [RateCardVersionView(v.number, v.starts_on, v.starts_on == current, v.document) for v in versions]
    return RateCard(row.id, seller, row.slug, row.name, row.currency, row.buyers, views)


@dataclass(frozen=True, slots=True)
class Versions:
    """A plan or rate card with all its versions, oldest first."""

    kind: str
    slug: str
    versions: list[PublishedForm]


@use_case
def list_plan_versions(tx: Session, caller: Caller, *, slug: str) -> Versions:
    """A plan's versions.

    Raises:
        NotFound: not there or of a seller outside the caller's chain.
    """
    return _plan_versions(tx, caller, slug=slug)


def _plan_versions(tx: Session, caller: Caller, *, slug: str) -> Versions:
    sellers = _sellers_above(load_scope(tx, caller))
    rows = tx.scalars(
        select(PlanVersionRow)
        .join(PlanRow)
        .where(PlanRow.slug == slug, PlanRow.organisation_id.in_(sellers))
        .order_by(PlanVersionRow.number)
    ).all()
    if not rows:
        raise NotFound("plan", slug[:70])
    return Versions("plan", slug, [PublishedForm(slug, row.number, row.published_at, row.document) for row in rows])


@use_case
def compare_versions(
    tx: Session, caller: Caller, *, kind: str, seller: str | None, slug: str, before: int, after: int
) -> list[dict[str, Any]]:
    """What differs between two versions of a plan, or of a seller's rate card, by path.

    Raises:
        NotFound: no such version.
    """
    if kind == "plan":
        found = _plan_versions(tx, caller, slug=slug)
        forms = {each.version: each.form for each in found.versions}
    else:
        card = _rate_card(tx, caller, seller=seller or "", slug=slug)
        forms = {each.number: each.form for each in card.versions}
    for number in (before, after):
        if number not in forms:
            raise NotFound("version", f"{slug[:70]} {number}")
    return differences(forms[before], forms[after])
