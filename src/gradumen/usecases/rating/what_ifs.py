"""What-ifs: a period priced again with other rate cards, as a task whose outcome is kept. Nothing else is changed."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.core.retentions import WHAT_IFS
from gradumen.core.tasks import Lease, State
from gradumen.store import tasks
from gradumen.store.access.members import emails_of
from gradumen.store.catalogue.rate_cards import cards_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import ensure_pairs, sold_pairs
from gradumen.store.rating import what_ifs as store
from gradumen.store.rating.tables import WhatIfAmountRow, WhatIfRow
from gradumen.store.subscriptions.sales import sold_links
from gradumen.store.tasks import TaskRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.catalogue.publishing import Document
from gradumen.usecases.pages import moment_place
from gradumen.usecases.rating.charges import amounts_by_service, sold_name
from gradumen.usecases.rating.current_charges import pieces
from gradumen.usecases.rating.estimates import read_cards
from gradumen.usecases.rating.links import load_links, own_plans
from gradumen.usecases.scope import Caller, business_now, get_organisation, load_scope
from gradumen.usecases.tasks import WHAT_IF, require_lease
from gradumen.wire.catalogue.forms.rate_cards import WrittenCard, rate_card_form, read_rate_card
from gradumen.wire.rating.what_ifs import WhatIfAmountBody, WhatIfBody, WhatIfCardBody, WhatIfGapBody, WhatIfSumBody

FORGOTTEN = 20
"""What-ifs that are forgotten in one transaction; one may have many thousand amounts."""
MOST = 5
"""So many of a seller may be under way at once."""


@use_case
def ask_what_if(
    tx: Session, caller: Caller, *, organisation: str, period: str, documents: Sequence[Document]
) -> WhatIfBody:
    """Ask what a period would have come to, had the cards in the documents held throughout it; a job prices it.

    Raises:
        Invalid: no document is a rate card that the seller has.
        CatalogueInvalid: the cards have mistakes.
        Conflict: many are under way.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    month = Period.parse(period)
    cards = read_cards(tx, scope.tree, seller, documents, load_published(tx))
    _check_cards(tx, seller, cards)
    if store.count_under_way(tx, seller.id) >= MOST:
        raise Conflict(f"{MOST} what-ifs of '{seller.slug}' are under way; ask again when one is done")
    links = [(of, buyer) for of, buyer, first in sold_links(tx, seller.id) if first < month.next().first_day]
    ensure_pairs(tx, links, [month.text])
    task = tasks.add_task(
        tx, WHAT_IF, month.text, at=caller.at, organisation=seller.id, asked_by=caller.user_id, counted="buyers"
    )
    row = WhatIfRow(
        id=task.id,
        seller_id=seller.id,
        period=month.text,
        cards=[rate_card_form(card) for card in cards],
        asked_by=caller.user_id,
        asked_at=scope.now,
    )
    tx.add(row)
    tx.flush()
    return _bodies(tx, [(row, task)], seller.slug)[0]


def _check_cards(tx: Session, seller: OrganisationRow, cards: Sequence[WrittenCard]) -> None:
    own = {row.slug: row.currency for row in cards_of(tx, seller.id)}
    for card in cards:
        slug, currency = card.version.card, card.version.currency
        if own.get(slug) != currency:
            message = f"'{seller.slug}' has no rate card '{slug}' in {currency}; name one that it sells by"
            raise Invalid(message, field="rate-card", value=slug)
    if not cards:
        raise Invalid("give at least one rate card to price with", field="files")


@use_case
def list_pieces(tx: Session, *, lease: Lease, at: datetime) -> list[list[UUID]]:
    """The buyers to price, as many at once as are to be rated at once.

    Raises:
        Conflict: another worker has the task now.
    """
    require_lease(tx, lease)
    row = _of_task(tx, lease.task)
    pairs = sold_pairs(tx, row.seller_id, row.period)
    buyers = {pair.id: pair.buyer_id for pair in pairs}
    return [[buyers[pair] for pair in piece] for piece in pieces(tx, pairs, at)]


def _of_task(tx: Session, task: UUID) -> WhatIfRow:
    row = store.find_what_if(tx, task)
    if row is None:
        raise Conflict("this what-if is no longer kept; ask again")
    return row


@use_case
def price_buyers(tx: Session, *, what_if: UUID, buyers: Collection[UUID]) -> None:
    """Price some buyers of a what-if as they are and as they would be, from the same usage. Safe to repeat."""
    row = _of_task(tx, what_if)
    published = load_published(tx)
    ids = {card.slug: card.id for card in cards_of(tx, row.seller_id)}
    read = [read_rate_card(form, published.known, 1).version for form in row.cards]
    instead = {ids[version.card]: version for version in read}
    loaded = load_links(tx, row.seller_id, Period.parse(row.period), buyers=buyers, also=read)
    now, then = loaded.rate(), loaded.with_cards(tx, instead).rate()
    before, after = (amounts_by_service(tx, each, published) for each in (now, then))
    zero = Decimal(0)
    amounts = [
        {
            "buyer_id": buyer,
            "service": service,
            "currency": currency,
            "before": before.get((buyer, service, currency), zero),
            "after": after.get((buyer, service, currency), zero),
        }
        for buyer, service, currency in {**before, **after}
    ]
    gaps = {(then.lines[each.line].row.buyer_id, each.meter) for each in then.rated.unpriced}
    store.put_amounts(tx, row.id, buyers, amounts, gaps)


def forget_what_ifs(uow: UnitOfWork, *, at: datetime) -> None:
    """Forget those that are kept no longer, whoever asked."""
    while _forget(uow, at=at) == FORGOTTEN:
        pass


@use_case
def _forget(tx: Session, *, at: datetime) -> int:
    return store.forget_what_ifs(tx, business_now(tx, at) - WHAT_IFS, FORGOTTEN)


@use_case
def list_what_ifs(tx: Session, caller: Caller, *, organisation: str, after: str | None, limit: int) -> list[WhatIfBody]:
    """What was asked for a seller, newest first, without sums; ``after`` is ``time|id`` of the last one seen."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    found = store.page_of_what_ifs(tx, seller.id, after=moment_place(after), limit=limit)
    return _bodies(tx, found, seller.slug)


@use_case
def read_what_if(tx: Session, caller: Caller, *, what_if_id: UUID) -> WhatIfBody:
    """One what-if, with its sums when it is done.

    Raises:
        NotFound: not there, or of a seller that the caller is no member of.
        Forbidden: the caller does not manage its catalogue.
    """
    row, seller = _get(tx, caller, what_if_id)
    body = _bodies(tx, [(row, tx.get_one(TaskRow, row.id))], seller.slug)[0]
    if body.state != State.DONE:
        return body
    published = load_published(tx)
    plans = own_plans(tx, seller.id, published)
    sums = [
        WhatIfSumBody(
            **_figures(each, plans, published),
            buyers=each.buyers,
            differing=each.differing,
        )
        for each in store.sums_of(tx, row.id)
    ]
    gaps = [
        WhatIfGapBody(meter=meter, meter_name=meter_name(meter, published), buyers=buyers)
        for meter, buyers in store.gaps_of(tx, row.id)
    ]
    return body.model_copy(update={"sums": sums, "not_priced": gaps})


@use_case
def list_amounts(
    tx: Session, caller: Caller, *, what_if_id: UUID, differing: bool, search: str, after: str | None, limit: int
) -> list[WhatIfAmountBody]:
    """What each buyer's charges of each service came to and would have come to, by buyer; of one that is done.

    Args:
        differing: only where both differ.
        after: ``buyer|service|currency`` of the last one seen.

    Raises:
        NotFound: not there, or of a seller that the caller is no member of.
        Forbidden: the caller does not manage its catalogue.
        Conflict: it is not done.
    """
    row, seller = _get(tx, caller, what_if_id)
    state, _ = tasks.states_of(tx, [row.id])[row.id]
    if state != State.DONE:
        raise Conflict(f"this what-if is {state}; its amounts are there when it is done")
    published = load_published(tx)
    plans = own_plans(tx, seller.id, published)
    found = store.page_of_amounts(
        tx, row.id, differing=differing, search=search, after=_amount_place(after), limit=limit
    )
    return [
        WhatIfAmountBody(
            buyer=buyer.slug,
            buyer_name=buyer.name,
            **_figures(amount, plans, published),
        )
        for amount, buyer in found
    ]


def _figures(of: store.WhatIfSum | WhatIfAmountRow, plans: Mapping[str, Plan], published: Published) -> dict[str, Any]:
    """What a sum and an amount have in common."""
    return {
        "service": of.service,
        "service_name": sold_name(of.service, plans, published),
        "currency": of.currency,
        "before": of.before,
        "after": of.after,
        "difference": add([of.after, -of.before]),
    }


def _amount_place(after: str | None) -> tuple[str, str, str] | None:
    if after is None:
        return None
    parts = after.split("|")
    if len(parts) != 3 or not after.isascii():
        message = f"after '{after[:60]}' is no place in this list; take it from the page before"
        raise Invalid(message, field="after", value=after)
    return parts[0], parts[1], parts[2]


def _get(tx: Session, caller: Caller, what_if_id: UUID) -> tuple[WhatIfRow, OrganisationRow]:
    scope = load_scope(tx, caller)
    row = store.find_what_if(tx, what_if_id)
    if row is None or row.seller_id not in scope.members_of():
        raise NotFound("what-if", what_if_id)
    seller = tx.get_one(OrganisationRow, row.seller_id)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    return row, seller


def _bodies(tx: Session, found: Sequence[tuple[WhatIfRow, TaskRow]], seller: str) -> list[WhatIfBody]:
    users = emails_of(tx, {row.asked_by for row, _ in found})
    return [
        WhatIfBody(
            id=row.id,
            seller=seller,
            period=row.period,
            cards=[WhatIfCardBody(rate_card=card["rate-card"], name=card["name"]) for card in row.cards],
            state=task.state,
            problem=task.problem,
            made=task.made,
            total=task.total,
            asked_by=users[row.asked_by],
            asked_at=row.asked_at,
            finished_at=task.finished_at,
            sums=[],
            not_priced=[],
        )
        for row, task in found
    ]
