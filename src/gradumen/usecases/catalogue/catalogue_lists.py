"""Rate cards as their viewers see them, and what differs between versions."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any
from uuid import UUID

from gradumen.core.errors import NotFound
from gradumen.store.catalogue.rate_cards import cards_seen, find_card_of, versions_of
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.subscriptions.sales import cards_bought_by, prices_any
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.changes import differences
from gradumen.usecases.catalogue.names import meter_names
from gradumen.usecases.catalogue.plan_lists import PublishedForm, plan_versions, seen_plans
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.catalogue.forms.buyers import read_buyers


@dataclass(frozen=True, slots=True)
class RateCard:
    """A rate card of a seller, or one that prices a purchase of the viewer's; to a buyer ``buyers`` is not told."""

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


@use_case
def list_rate_cards(tx: Session, caller: Caller) -> list[RateCard]:
    """The cards of sellers that the caller is a member of, and those that price what its organisations buy."""
    scope = load_scope(tx, caller)
    own = scope.members_money()
    rows = cards_seen(tx, own, cards_bought_by(tx, own))
    plans = seen_plans(tx, scope) if any(row.organisation_id not in own for row, _ in rows) else set()
    return [
        _card(tx, row, seller, scope.now.date(), None if row.organisation_id in own else plans) for row, seller in rows
    ]


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
    found = find_card_of(tx, seller, slug)
    if found is not None:
        row, owner = found
        if row.organisation_id in own:
            return _card(tx, row, owner.slug, scope.now.date(), None)
        if prices_any(tx, row.id, own):
            return _card(tx, row, owner.slug, scope.now.date(), seen_plans(tx, scope))
    raise NotFound("rate card", f"{seller[:70]}/{slug[:70]}")


def _card(tx: Session, row: RateCardRow, seller: str, today: date, plans: set[str] | None) -> RateCard:
    """A card for its seller's members (``plans`` is None), or for a buyer who sees those plans."""
    versions = versions_of(tx, row.id)
    current = max((v.starts_on for v in versions if v.starts_on <= today), default=None)
    views = [
        RateCardVersionView(
            v.number, v.starts_on, v.starts_on == current, v.document if plans is None else for_buyer(v.document, plans)
        )
        for v in versions
    ]
    buyers = read_buyers(row.buyers).words if plans is None else ""
    return RateCard(row.id, seller, row.slug, row.name, row.currency, buyers, views)


BUYER_SEES = ("rate-card", "name", "currency", "starts-on", "rates", "discounts", "at-renewal")
"""What a buyer sees of a card: its prices and what binds it, never whom else it is for nor what it is made from."""


def for_buyer(form: Mapping[str, Any], plans: Collection[str]) -> dict[str, Any]:
    """A version as a buyer sees it, with the fees of the plans that it sees."""
    shown = {name: form[name] for name in BUYER_SEES if name in form}
    shown["rates"] = [rate for rate in shown["rates"] if "fee" not in rate or rate["fee"].partition("/")[0] in plans]
    return shown


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
        NotFound: not there, or neither offered to the caller nor its own.
    """
    return Versions("plan", slug, plan_versions(tx, caller, slug))


@use_case
def compare_versions(
    tx: Session, caller: Caller, *, kind: str, seller: str | None, slug: str, before: int, after: int
) -> list[dict[str, Any]]:
    """What differs between two versions of a plan, or of a seller's rate card, by path.

    Raises:
        NotFound: no such version.
    """
    if kind == "plan":
        forms = {each.version: each.form for each in plan_versions(tx, caller, slug)}
    else:
        card = _rate_card(tx, caller, seller=seller or "", slug=slug)
        forms = {each.number: each.form for each in card.versions}
    for number in (before, after):
        if number not in forms:
            raise NotFound("version", f"{slug[:70]} {number}")
    return differences(forms[before], forms[after], meter_names(load_published(tx)))
