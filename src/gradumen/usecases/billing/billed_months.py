"""Months that are billed already of what some organisations used: what a change that reaches back would settle anew."""

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.exact import add
from gradumen.core.periods import midnight
from gradumen.core.permissions import Right
from gradumen.store.billing.bill_runs import billed_by_buyer, issued_periods
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, trees_between
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.billing.billed_months import BilledMonthBody

MOST = 200
"""Organisations asked for together."""


@use_case
def list_billed_months(
    tx: Session, caller: Caller, *, organisation: str, since: date, used_by: Sequence[str]
) -> list[BilledMonthBody]:
    """What a seller has billed for the months from a day's on, to those through whom some organisations buy.

    Of the month under way, and of those ahead, only fees are billed; these are left out.

    Raises:
        Forbidden: the caller is no member of the seller who sees its money.
        NotFound: no such organisation in scope.
        Invalid: more than `MOST` organisations.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    if len(used_by) > MOST:
        raise Invalid(f"ask for at most {MOST} organisations together; got {len(used_by)}", field="used_by")
    users = {get_organisation(tx, scope, slug).id for slug in used_by}
    buyers = organisations_by_id(tx, _buyers(tx, scope, seller, users, since))
    return [
        BilledMonthBody(
            period=period,
            buyer=buyers[buyer].slug,
            buyer_name=buyers[buyer].name,
            currency=currency,
            billed=add(amounts),
        )
        for period in sorted(issued_periods(tx, seller.id))
        if f"{since:%Y-%m}" <= period < f"{scope.now:%Y-%m}"
        for (buyer, currency), amounts in sorted(billed_by_buyer(tx, seller.id, period).items())
        if buyer in buyers
    ]


def _buyers(tx: Session, scope: Scope, seller: OrganisationRow, users: set[UUID], since: date) -> set[UUID]:
    """The customers of a seller who are, or are above, users, now or at some time since a day."""
    found = set()
    for _, tree in trees_between(tx, min(midnight(since), scope.now), scope.now):
        for user in users & tree.parents.keys():
            found |= {each for each in tree.chain(user) if tree.parents.get(each) == seller.id}
    return found
