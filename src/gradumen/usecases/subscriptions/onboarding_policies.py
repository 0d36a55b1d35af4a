"""Up to how much a seller's administrators bring on board alone: fees in a month by currency, limits by measure."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import minor_units, money, text
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import Measures, amount_words, measure_words
from gradumen.core.subscriptions.onboardings import ENDLESS
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.quotas.measures import load_measures
from gradumen.store.subscriptions import onboardings as store
from gradumen.store.subscriptions.tables import OnboardingPolicyRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.subscriptions.onboardings import OnboardingPolicyBody


def sums_told(told: Mapping[str, Any]) -> dict[str, Decimal]:
    """What an onboarding came to, as it was kept."""
    return {what: ENDLESS if raw is None else Decimal(raw) for what, raw in told["sums"].items()}


def bound_words(tx: Session, subject: str, amount: Decimal) -> str:
    """Why more than a bound waits."""
    measure = load_measures(tx).get(subject)
    if measure is not None:
        return f"limits of more than {amount_words(measure, amount)} in a month need approval"
    return (
        f"more than {money(amount, subject)} {subject} a month, with what else came on board this month, needs approval"
    )


@use_case
def list_onboarding_policies(tx: Session, caller: Caller, *, organisation: str) -> list[OnboardingPolicyBody]:
    """A seller's bounds, by currency and measure; for its own members. What has none goes through."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, owner)
    return [OnboardingPolicyBody(subject=row.subject, amount=row.amount) for row in store.policies_of(tx, owner.id)]


@use_case
def set_onboarding_policy(
    tx: Session, caller: Caller, *, organisation: str, subject: str, amount: Decimal | None
) -> OnboardingPolicyBody:
    """Say up to how much comes on board in a month without another administrator; None is any. Safe to repeat.

    Raises:
        Forbidden: the caller is no administrator of it.
        Invalid: neither a currency nor a measure, or an amount below 0.
        Conflict: a tenant brings nobody on board.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_ORGANISATIONS, owner)
    if owner.type == "tenant":
        raise Conflict(f"'{owner.slug}' is a tenant and brings nobody on board")
    measures = load_measures(tx)
    if subject not in measures.listed:
        _currency(subject, measures)
    if amount is not None and amount < 0:
        raise Invalid(f"amount {text(amount)} is below 0", field="amount", value=amount)
    lock_organisation(tx, owner.id)
    row = tx.get(OnboardingPolicyRow, (owner.id, subject))
    before = row.amount if row else None
    if amount is None:
        store.drop_policy(tx, owner.id, subject)
    elif row is None:
        tx.add(OnboardingPolicyRow(organisation_id=owner.id, subject=subject, amount=amount))
    else:
        row.amount = amount
    tx.flush()
    if before != amount:
        values = [{"amount": "any amount" if each is None else text(each)} for each in (before, amount)]
        record(tx, caller, "onboarding policy set", owner.id, _named(tx, subject), before=values[0], after=values[1])
    return OnboardingPolicyBody(subject=subject, amount=amount)


def _currency(subject: str, measures: Measures) -> None:
    try:
        minor_units(subject)
    except Invalid:
        raise Invalid(
            f"subject '{subject[:32]}' is neither a currency nor a measure ({', '.join(measures.listed)})",
            field="subject",
            value=subject,
        ) from None


def _named(tx: Session, subject: str) -> str:
    measure = load_measures(tx).get(subject)
    return subject if measure is None else measure_words(measure)
