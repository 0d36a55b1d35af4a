"""Up to which amount a month a seller's customers order without its approval."""

from decimal import Decimal

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import minor_units, text
from gradumen.core.permissions import Right
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.subscriptions import orders as store
from gradumen.store.subscriptions.tables import OrderPolicyRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.subscriptions.orders import OrderPolicyBody


@use_case
def list_order_policies(tx: Session, caller: Caller, *, organisation: str) -> list[OrderPolicyBody]:
    """Up to which amount a seller's customers order without its approval, by currency; for its own members.

    A currency that is not there: every order that adds something waits.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    return [OrderPolicyBody(currency=row.currency, amount=row.amount) for row in store.policies_of(tx, seller.id)]


@use_case
def set_order_policy(
    tx: Session, caller: Caller, *, organisation: str, currency: str, amount: Decimal | None
) -> OrderPolicyBody:
    """Say up to which amount a month a seller's customers order without its approval; None is any. Safe to repeat.

    Raises:
        Invalid: no currency, or an amount below 0.
        Conflict: a tenant sells nothing.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_SUBSCRIPTIONS, seller)
    if seller.type == "tenant":
        raise Conflict(f"'{seller.slug}' is a tenant and has nobody who orders of it")
    minor_units(currency)
    if amount is not None and amount < 0:
        raise Invalid(f"amount {text(amount)} is below 0", field="amount", value=amount)
    lock_organisation(tx, seller.id)
    row = tx.get(OrderPolicyRow, (seller.id, currency))
    before = None if row is None else row.amount
    if row is None:
        row = OrderPolicyRow(organisation_id=seller.id, currency=currency)
        tx.add(row)
        before = Decimal(0)
    row.amount = amount
    tx.flush()
    if before != amount:
        changes = {"amount": _amount_words(before)}, {"amount": _amount_words(amount)}
        record(tx, caller, "order policy set", seller.id, currency, before=changes[0], after=changes[1])
    return OrderPolicyBody(currency=currency, amount=amount)


def _amount_words(amount: Decimal | None) -> str:
    return "any amount" if amount is None else text(amount)
