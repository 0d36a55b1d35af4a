"""What today's rules would price differently of issued periods: listed for a seller, never billed by itself."""

from decimal import Decimal
from uuid import UUID

from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.billing.bill_runs import billed_by_buyer, issued_periods
from gradumen.store.billing.tables import BillRunRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.billing.drafts import Drafting
from gradumen.usecases.scope import Caller, get_organisation, load_scope, today_of
from gradumen.wire.billing.rating_differences import RatingDifferenceBody

_Key = tuple[UUID, str]
"""Buyer and currency."""


@use_case
def list_rating_differences(tx: Session, caller: Caller, *, organisation: str) -> list[RatingDifferenceBody]:
    """Issued periods of a seller that today's rules price differently, by period and buyer; changes nothing.

    Only periods whose usage is still the one that was billed: what differs there comes from rules, not from readings
    or subscriptions, which the next bill run bills anyway.

    Raises:
        Forbidden: the caller is no member of the seller who sees its money.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    found: list[RatingDifferenceBody] = []
    for text in issued_periods(tx, seller.id):
        drafting = Drafting(tx, _no_run(seller, text), seller, today_of(tx, scope, seller))
        differing = drafting.differing(Period.parse(text))
        if differing:
            found += _compared(tx, seller.id, text, differing)
    return sorted(found, key=lambda each: (each.period, each.buyer, each.currency))


def _no_run(seller: OrganisationRow, period: str) -> BillRunRow:
    """A run that is never kept, for what works on one."""
    return BillRunRow(seller_id=seller.id, period=period)


def _compared(tx: Session, seller: UUID, period: str, differing: dict[_Key, Decimal]) -> list[RatingDifferenceBody]:
    billed = billed_by_buyer(tx, seller, period)
    buyers = organisations_by_id(tx, {buyer for buyer, _ in differing})
    found = []
    for (buyer, currency), difference in differing.items():
        before = add(billed.get((buyer, currency), []))
        row = buyers[buyer]
        found.append(
            RatingDifferenceBody(
                period=period,
                buyer=row.slug,
                buyer_name=row.name,
                currency=currency,
                billed=before,
                today=add([before, difference]),
                difference=difference,
            )
        )
    return found
