"""One-off charges: amounts that a seller charges by hand, on a subscription of a buyer's."""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Protocol
from uuid import UUID, uuid4

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.exact import minor_units, number, text
from gradumen.core.names import name_of
from gradumen.core.periods import Period, months_since
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.one_off_charges import OneOffCharge
from gradumen.store.access.members import names_of
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import raise_pairs
from gradumen.store.subscriptions.one_off_charges import charges_between, charges_by, lines_sold
from gradumen.store.subscriptions.subscriptions import sold_lines, subscriptions_by_id
from gradumen.store.subscriptions.tables import OneOffChargeRow, SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody


class OnLine(Protocol):
    """What of a loaded line decides which charges are its."""

    @property
    def row(self) -> SupplyLineRow: ...
    @property
    def subscription(self) -> SubscriptionRow: ...


def load_one_off_charges(
    tx: Session, seller: UUID, period: Period, lines: Mapping[int, OnLine]
) -> tuple[tuple[OneOffCharge, ...], dict[str, str]]:
    """The charges of a seller's period on loaded lines, and their texts.

    Where somebody moved, the seller may sell to another buyer on a charge's day than those whose lines are loaded.
    """
    numbers = {line.row.id: number for number, line in lines.items()}
    loaded = {line.subscription.id for line in lines.values()}
    between = charges_between(tx, seller, period.first_day, period.next().first_day)
    rows = [row for row in between if row.subscription_id in loaded]
    sold = lines_sold(tx, seller, {row.subscription_id for row in rows})
    found: list[OneOffCharge] = []
    texts: dict[str, str] = {}
    for row in rows:
        number = numbers.get(_of_day(sold[row.subscription_id], row.day).id)
        if number is not None:
            found.append(OneOffCharge(slug_of(row), number, row.day, row.amount))
            texts[slug_of(row)] = row.description
    return tuple(found), texts


def _of_day(lines: Sequence[SupplyLineRow], day: date) -> SupplyLineRow:
    """The line that holds on a day, or held last before it."""
    return ([line for line in lines if line.starts_on <= day] or list(lines))[-1]


def slug_of(row: OneOffChargeRow) -> str:
    """What stands in place of a rate."""
    return f"one-off-{row.id.hex[:24]}"


@use_case
def enter_one_off_charge(
    tx: Session,
    caller: Caller,
    *,
    seller: str,
    organisation: str,
    subscription: str,
    day: date,
    description: str,
    amount: str,
    currency: str,
) -> OneOffChargeBody:
    """Charge an amount by hand; it stands in the period so far at once and on the next document.

    Args:
        organisation: the subscriber; a seller higher up charges its own buyer on that subscription.
        amount: above zero, in the currency of the subscription's card on this link.

    Raises:
        NotFound: no such subscription that the seller sells.
        Invalid: the subscription does not cover the day, or another currency.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, seller)
    holder = get_organisation(tx, scope, organisation)
    _require(scope, owner)
    row, line = _sold_on(tx, owner, holder, subscription, day)
    card_currency = tx.get_one(RateCardRow, line.rate_card_id).currency
    if currency != card_currency:
        message = f"this subscription is charged in {card_currency}; give the amount in it"
        raise Invalid(message, field="currency", value=currency)
    value = number(amount, field="amount", places=minor_units(currency))
    if value <= 0:
        message = f"amount {text(value)} is not above zero; to give money back, withdraw the charge or use a discount"
        raise Invalid(message, field="amount", value=amount)
    made = OneOffChargeRow(
        id=uuid4(),
        subscription_id=row.id,
        seller_id=owner.id,
        day=day,
        description=name_of(description, field="description", most=200),
        amount=value,
        currency=currency,
        entered_by=caller.user_id,
        entered_at=caller.at,
        withdrawn_by=None,
        withdrawn_at=None,
    )
    tx.add(made)
    tx.flush()
    raise_pairs(tx, {holder.id: months_since(day, day)})
    after = {"day": day, "amount": f"{text(value)} {currency}", "subscription": row.name}
    record(tx, caller, "one-off charge entered", owner.id, made.description, concerns=line.buyer_id, after=after)
    return _views(tx, owner, [made])[0]


def _sold_on(
    tx: Session, seller: OrganisationRow, holder: OrganisationRow, subscription: str, day: date
) -> tuple[SubscriptionRow, SupplyLineRow]:
    """A subscription that a seller sells, with its line of a day."""
    found = sold_lines(tx, seller.id, holder.id, subscription)
    if not found:
        raise NotFound("subscription", f"{holder.slug}: {subscription[:130]}")
    row = found[0][0]
    if not row.starts_on <= day < (row.ends_on or date.max):
        message = f"the subscription lasts from {row.starts_on} to {row.ends_on or 'any later day'}; choose a day in it"
        raise Invalid(message, field="day", value=day)
    held = [each for _, each in found if each.starts_on <= day][-1:]
    if not held or (held[0].ends_on is not None and held[0].ends_on <= day):
        spells = ", ".join(f"from {each.starts_on} to {each.ends_on or 'any later day'}" for _, each in found)
        raise Invalid(f"{seller.name} sells this subscription {spells}; choose a day in it", field="day", value=day)
    return row, held[0]


@use_case
def withdraw_one_off_charge(tx: Session, caller: Caller, *, charge_id: UUID) -> OneOffChargeBody:
    """Take a one-off charge back; what is billed of it comes back on the next document. Safe to repeat."""
    scope = load_scope(tx, caller)
    row = tx.get(OneOffChargeRow, charge_id, with_for_update=True)
    if row is None or not scope.is_member(row.seller_id):
        raise NotFound("one-off charge", charge_id)
    owner = tx.get_one(OrganisationRow, row.seller_id)
    _require(scope, owner)
    if row.withdrawn_at is None:
        row.withdrawn_by, row.withdrawn_at = caller.user_id, caller.at
        amount = {"amount": f"{text(row.amount)} {row.currency}", "day": row.day}
        subscription = tx.get_one(SubscriptionRow, row.subscription_id)
        what, buyer = row.description, subscription.organisation_id
        record(tx, caller, "one-off charge withdrawn", owner.id, what, concerns=buyer, before=amount)
        raise_pairs(tx, {subscription.organisation_id: months_since(row.day, row.day)})
        tx.flush()
    return _views(tx, owner, [row])[0]


@use_case
def list_one_off_charges(tx: Session, caller: Caller, *, seller: str) -> list[OneOffChargeBody]:
    """What a seller has charged by hand, the latest first."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, seller)
    if owner.id not in scope.members_money():
        raise Forbidden(right=Right.READ_MONEY, organisation=owner.slug, name=owner.name)
    return _views(tx, owner, charges_by(tx, owner.id))


def _require(scope: Scope, seller: OrganisationRow) -> None:
    """Charging by hand is for those who bill for the seller."""
    scope.require(Right.BILL, seller)


def _views(tx: Session, seller: OrganisationRow, rows: list[OneOffChargeRow]) -> list[OneOffChargeBody]:
    ids = {row.subscription_id for row in rows}
    subscriptions = subscriptions_by_id(tx, ids)
    sold = lines_sold(tx, seller.id, ids)
    buyers = {row.id: _of_day(sold[row.subscription_id], row.day).buyer_id for row in rows}
    names = organisations_by_id(tx, {each.organisation_id for each in subscriptions.values()} | set(buyers.values()))
    users = names_of(tx, {row.entered_by for row in rows})
    return [
        OneOffChargeBody(
            id=row.id,
            seller=seller.slug,
            buyer=names[buyers[row.id]].slug,
            organisation=names[subscriptions[row.subscription_id].organisation_id].slug,
            organisation_name=names[subscriptions[row.subscription_id].organisation_id].name,
            subscription=subscriptions[row.subscription_id].name,
            day=row.day,
            description=row.description,
            amount=row.amount,
            currency=row.currency,
            entered_by=users[row.entered_by],
            entered_at=row.entered_at,
            withdrawn_at=row.withdrawn_at,
        )
        for row in rows
    ]
