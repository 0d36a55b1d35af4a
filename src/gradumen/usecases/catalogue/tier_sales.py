"""Until when tiers are sold and used: withdrawn from sale, then retired."""

from collections.abc import Iterable
from datetime import date
from uuid import UUID

from gradumen.core.errors import Invalid, NotFound, NotOnSale, StillSubscribed
from gradumen.core.permissions import Right
from gradumen.store.catalogue.published import documents_of, find_plan, store_tier_sale, tier_sales_of
from gradumen.store.catalogue.tables import TierSaleRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.sales import subscribed_lines
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, load_scope
from gradumen.wire.catalogue.tier_sales import TierSaleBody

_MOST_LISTED = 20


@use_case
def set_tier_sale(
    tx: Session, caller: Caller, *, plan: str, tier: str, withdrawn_on: date | None, retired_on: date | None
) -> TierSaleBody:
    """Withdraw a tier from sale from a day on, retire it, or take either back; existing subscriptions go on.

    Raises:
        StillSubscribed: a subscription has the tier on the day of its retirement or later.
    """
    scope = load_scope(tx, caller)
    row = find_plan(tx, plan, lock=True)
    if row is None or not scope.is_member(row.organisation_id):
        raise NotFound("plan", plan[:70])
    scope.require(Right.MANAGE_CATALOGUE, tx.get_one(OrganisationRow, row.organisation_id))
    known = {each["tier"] for document in documents_of(tx, row.id) for each in document["tiers"]}
    if tier not in known:
        raise Invalid(f"the plan has no tier '{tier[:60]}'; choose one of {', '.join(sorted(known))}", field="tier")
    if retired_on is not None and (withdrawn_on is None or retired_on < withdrawn_on):
        message = f"a tier is withdrawn from sale before it is retired on {retired_on}"
        raise Invalid(message, field="withdrawn_on", value=withdrawn_on)
    having = _having(tx, row.id, tier, retired_on or withdrawn_on or date.max)
    if retired_on is not None and having:
        listed = ", ".join(having[:_MOST_LISTED]) + (" and more" if len(having) > _MOST_LISTED else "")
        raise StillSubscribed(
            f"{len(having)} subscriptions have {plan}/{tier} on {retired_on} or later: {listed}; end or change them "
            "first",
            subscriptions=having[:_MOST_LISTED],
        )
    values = {"withdrawn_on": withdrawn_on, "retired_on": retired_on}
    store_tier_sale(tx, row.id, tier, values)
    record(tx, caller, "tier sale set", row.organisation_id, f"{plan}/{tier}", after=values)
    return TierSaleBody(
        plan=plan, tier=tier, withdrawn_on=withdrawn_on, retired_on=retired_on, subscriptions=len(having)
    )


def _having(tx: Session, plan: UUID, tier: str, day: date) -> list[str]:
    """Subscriptions that have a tier on a day or later, as ``organisation: name``."""
    rows = subscribed_lines(tx, plan, day)
    found: dict[UUID, str] = {}
    for index, (subscription, line, owner) in enumerate(rows):
        follows = rows[index + 1] if index + 1 < len(rows) else None
        same = follows is not None and follows[0].id == subscription.id
        until = follows[1].starts_on if follows is not None and same else subscription.ends_on
        if line.tier == tier and (until is None or until > day):
            found[subscription.id] = f"{owner}: {subscription.name}"
    return list(found.values())


def check_on_sale(tx: Session, plan: UUID, tier: str, day: date) -> None:
    """Check that a tier can be subscribed to from a day on.

    Raises:
        NotOnSale: it is withdrawn or retired by then.
    """
    row = tx.get(TierSaleRow, (plan, tier))
    if row is not None and row.withdrawn_on is not None and row.withdrawn_on <= day:
        raise NotOnSale(
            f"tier '{tier}' is not sold from {row.withdrawn_on} on; who has it keeps it, choose another tier",
            field="tier",
            tier=tier,
        )


def list_tier_sales(tx: Session, plans: Iterable[UUID]) -> dict[UUID, list[TierSaleRow]]:
    """What is known of the sale of plans' tiers."""
    found: dict[UUID, list[TierSaleRow]] = {}
    for row in tier_sales_of(tx, list(plans)):
        found.setdefault(row.plan_id, []).append(row)
    return found
