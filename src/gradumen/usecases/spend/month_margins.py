"""What a month came to for a seller: charged to each buyer, paid to suppliers, spent on its own services."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import Forbidden
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.spend.month_margins import Cost, MonthMargin
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.subscriptions.sales import buyers_by_subscription, currencies_of, suppliers_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.charges import ServiceKey, amounts_by_service, sold_name
from gradumen.usecases.rating.stored_charges import current_of, read_rated
from gradumen.usecases.scope import Caller, get_organisation, load_scope


@dataclass(frozen=True, slots=True)
class MonthMargins:
    """A seller's month, by buyer and service; its own use comes last.

    Fees stand under their plan, what comes once under ``one-off``, fixed cost and overhead under ``shared-cost``.
    ``cost_not_known`` names meters of its own services that were used and that no cost card prices.
    """

    seller: str
    period: str
    rows: list[MonthMargin]
    cost_not_known: list[str]
    as_of: datetime
    waiting: bool


@use_case
def month_margins(tx: Session, caller: Caller, *, organisation: str, period: str | None) -> MonthMargins:
    """What a seller charged in a period, as its documents have it, beside what that cost it; by default this one's.

    Raises:
        Forbidden: the caller is no member of the seller: what it earns is its own.
    """
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    if seller.id not in scope.members_money():
        raise Forbidden(right=Right.READ_MONEY, organisation=seller.slug, name=seller.name)
    zone = zone_of(zone_name(tx, seller.id, scope.now.date()))
    month = Period.parse(period) if period else Period.containing(scope.now, zone)
    published = load_published(tx)
    pairs = pairs_with(tx, seller.id, None, month.text)
    sold = read_rated(tx, seller.id, month, [row for row in pairs if row.buyer_id != seller.id], published)
    own_costs = read_rated(tx, seller.id, month, [row for row in pairs if row.buyer_id == seller.id], published)
    charged = amounts_by_service(tx, sold, published)
    costs: dict[tuple[UUID, str], list[Cost]] = defaultdict(list)
    paid_to, bought = _paid(tx, seller, month, published)
    for supplier, paid in [(seller, amounts_by_service(tx, own_costs, published)), *paid_to]:
        for (buyer, service, currency), amount in paid.items():
            costs[buyer, service].append(Cost(supplier.slug, currency, amount))
    names = organisations_by_id(tx, {*(key[0] for key in charged), *(key[0] for key in costs)})

    def row(buyer: UUID, service: str, currency: str, amount: Decimal, found: list[Cost]) -> MonthMargin:
        name = sold_name(service, sold.names.plans, published)
        return MonthMargin(names[buyer].slug, names[buyer].name, service, name, currency, amount, tuple(found))

    rows = [row(*key, amount, costs.pop(key[:2], [])) for key, amount in charged.items()]
    billed_in = currencies_of(tx, seller.id)
    rows += [
        row(buyer, service, billed_in.get(buyer, found[0].currency), Decimal(0), found)
        for (buyer, service), found in costs.items()
    ]
    rows.sort(key=lambda row: (row.buyer == seller.slug, row.buyer, row.service, row.currency))
    not_known = sorted({each.meter for each in own_costs.rated.unpriced})
    current = current_of(tx, usage, [*pairs, *bought])
    shown = [row for row in rows if row.charged or row.costs]
    return MonthMargins(seller.slug, month.text, shown, not_known, current.as_of, current.waiting)


def _paid(
    tx: Session, seller: OrganisationRow, month: Period, published: Published
) -> tuple[list[tuple[OrganisationRow, dict[ServiceKey, Decimal]]], list[PairRow]]:
    """What a seller is charged by each of its suppliers, by its own buyer of the same subscription; and these pairs."""
    suppliers = organisations_by_id(tx, suppliers_of(tx, seller.id) - {seller.id})
    buyer_of = buyers_by_subscription(tx, seller.id)
    paid: list[tuple[OrganisationRow, dict[ServiceKey, Decimal]]] = []
    bought: list[PairRow] = []
    for supplier in sorted(suppliers.values(), key=lambda row: row.slug):
        pairs = pairs_with(tx, supplier.id, [seller.id], month.text)
        rated = read_rated(tx, supplier.id, month, pairs, published)
        bought += pairs
        amounts = amounts_by_service(tx, rated, published, lambda line: buyer_of.get(line.subscription.id, seller.id))
        paid.append((supplier, amounts))
    return paid, bought
