"""Rate cards as their viewers see them, and what differs between versions."""

from collections.abc import Collection, Mapping
from datetime import datetime
from typing import Any

from gradumen.core.errors import NotFound
from gradumen.store.catalogue.rate_cards import cards_seen, find_card_of, versions_of
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow
from gradumen.store.organisations.tables import local_day
from gradumen.store.subscriptions.sales import cards_bought_by, prices_any
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.card_choice import cards_offered
from gradumen.usecases.catalogue.changes import differences
from gradumen.usecases.catalogue.names import meter_names
from gradumen.usecases.catalogue.plan_lists import plan_versions, seen_plans
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.catalogue.catalogue import VersionsBody
from gradumen.wire.catalogue.forms.buyers import read_buyers
from gradumen.wire.catalogue.rate_cards import RateCardBody, RateCardVersionBody


@use_case
def list_rate_cards(tx: Session, caller: Caller) -> list[RateCardBody]:
    """The cards of sellers that the caller is a member of, and those by which its organisations buy; resellers
    also see those by which they would."""
    scope = load_scope(tx, caller)
    own = scope.members_money()
    rows = cards_seen(tx, own, {*cards_bought_by(tx, own), *cards_offered(tx, scope.tree, own)})
    plans = seen_plans(tx, scope) if any(row.organisation_id not in own for row, _ in rows) else set()
    return [_body(tx, row, seller, scope.now, None if row.organisation_id in own else plans) for row, seller in rows]


@use_case
def read_rate_card(tx: Session, caller: Caller, *, seller: str, slug: str) -> RateCardBody:
    """One rate card that `list_rate_cards` has.

    Raises:
        NotFound: not there or not in scope.
    """
    scope = load_scope(tx, caller)
    row, plans = _find_card(tx, scope, seller, slug)
    return _body(tx, row, seller, scope.now, plans)


@use_case
def read_rate_card_form(tx: Session, caller: Caller, *, seller: str, slug: str) -> dict[str, Any]:
    """The newest version of one rate card that `list_rate_cards` has, in its written form.

    Raises:
        NotFound: not there or not in scope.
    """
    row, plans = _find_card(tx, load_scope(tx, caller), seller, slug)
    return _form(versions_of(tx, row.id)[-1], plans)


def _find_card(tx: Session, scope: Scope, seller: str, slug: str) -> tuple[RateCardRow, set[str] | None]:
    """A card, and the plans whose fees a buyer sees of it; None for its seller's members."""
    own = scope.members_money()
    found = find_card_of(tx, seller, slug)
    if found is not None:
        row, _ = found
        if row.organisation_id in own:
            return row, None
        if prices_any(tx, row.id, own) or row.id in cards_offered(tx, scope.tree, own):
            return row, seen_plans(tx, scope)
    raise NotFound("rate card", f"{seller[:70]}/{slug[:70]}")


def _form(version: RateCardVersionRow, plans: set[str] | None) -> dict[str, Any]:
    return version.document if plans is None else for_buyer(version.document, plans)


def _body(tx: Session, row: RateCardRow, seller: str, now: datetime, plans: set[str] | None) -> RateCardBody:
    """A card for its seller's members (``plans`` is None), or for a buyer who sees those plans."""
    versions = versions_of(tx, row.id)
    today = local_day(tx, row.organisation_id, now)
    current = max((v.starts_on for v in versions if v.starts_on <= today), default=None)
    return RateCardBody(
        id=row.id,
        seller=seller,
        slug=row.slug,
        name=row.name,
        currency=row.currency,
        buyers=read_buyers(row.buyers).words if plans is None else "",
        versions=[
            RateCardVersionBody(
                number=v.number, starts_on=v.starts_on, in_force=v.starts_on == current, form=_form(v, plans)
            )
            for v in versions
        ],
    )


BUYER_SEES = ("rate-card", "name", "currency", "starts-on", "rates", "discounts", "at-renewal")
"""What a buyer sees of a card: its prices and what binds it, never whom else it is for nor what it is made from."""


def for_buyer(form: Mapping[str, Any], plans: Collection[str]) -> dict[str, Any]:
    """A version as a buyer sees it, with the fees of the plans that it sees."""
    shown = {name: form[name] for name in BUYER_SEES if name in form}
    shown["rates"] = [rate for rate in shown["rates"] if "fee" not in rate or rate["fee"].partition("/")[0] in plans]
    return shown


@use_case
def list_plan_versions(tx: Session, caller: Caller, *, slug: str) -> VersionsBody:
    """A plan's versions.

    Raises:
        NotFound: not there, or neither offered to the caller nor its own.
    """
    return VersionsBody(kind="plan", slug=slug, versions=plan_versions(tx, caller, slug))


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
        row, plans = _find_card(tx, load_scope(tx, caller), seller or "", slug)
        forms = {each.number: _form(each, plans) for each in versions_of(tx, row.id)}
    for number in (before, after):
        if number not in forms:
            raise NotFound("version", f"{slug[:70]} {number}")
    return differences(forms[before], forms[after], meter_names(load_published(tx)))
