"""Up to which amount a month customers order without their seller's approval, and people without an administrator's."""

from decimal import Decimal

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import minor_units, text
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.orders import Approver
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.subscriptions import orders as store
from gradumen.store.subscriptions.tables import OrderPolicyRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.subscriptions.orders import OrderPolicyBody


@use_case
def list_order_policies(tx: Session, caller: Caller, *, organisation: str) -> list[OrderPolicyBody]:
    """An organisation's policies, by whose they are and currency; for its own members.

    A currency that is not there: every order of a customer that adds something waits, none of its own people does.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, owner)
    return [
        OrderPolicyBody(approver=Approver(row.approver), currency=row.currency, amount=row.amount)
        for row in store.policies_of(tx, owner.id)
    ]


@use_case
def set_order_policy(
    tx: Session, caller: Caller, *, organisation: str, approver: Approver, currency: str, amount: Decimal | None
) -> OrderPolicyBody:
    """Say up to which amount a month is ordered without approval; None is any. Safe to repeat.

    Raises:
        Invalid: no currency, or an amount below 0.
        Conflict: a tenant sells nothing; who buys from nobody orders nothing.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    own = approver is Approver.OWN
    scope.require_member(Right.MANAGE_MEMBERS if own else Right.MANAGE_SUBSCRIPTIONS, owner)
    if own and owner.id not in scope.tree.parents:
        raise Conflict(f"{owner.name} buys from nobody, so its people order nothing")
    if not own and owner.type == "tenant":
        raise Conflict(f"'{owner.slug}' is a tenant and has nobody who orders of it")
    minor_units(currency)
    if amount is not None and amount < 0:
        raise Invalid(f"amount {text(amount)} is below 0", field="amount", value=amount)
    lock_organisation(tx, owner.id)
    row = tx.get(OrderPolicyRow, (owner.id, approver, currency))
    before = row.amount if row else None if own else Decimal(0)
    if row is None:
        row = OrderPolicyRow(organisation_id=owner.id, approver=approver, currency=currency)
        tx.add(row)
    row.amount = amount
    tx.flush()
    if before != amount:
        changes = {"amount": _words(before)}, {"amount": _words(amount)}
        record(tx, caller, "order policy set", owner.id, f"{approver}: {currency}", before=changes[0], after=changes[1])
    return OrderPolicyBody(approver=approver, currency=currency, amount=amount)


def _words(amount: Decimal | None) -> str:
    return "any amount" if amount is None else text(amount)
