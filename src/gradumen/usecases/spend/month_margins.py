"""What a month came to for a seller: charged to each buyer, paid to suppliers, spent on its own services."""

from collections import defaultdict
from decimal import Decimal
from itertools import chain
from uuid import UUID

from gradumen.core.exact import AMOUNT_PLACES, add, unscaled
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.spend.month_margins import Cost, MonthMargin
from gradumen.core.spend.spend import Dimension, Range
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.rating.current_charges import not_priced_of
from gradumen.store.subscriptions.sales import currencies_of, suppliers_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.charges import sold_name
from gradumen.usecases.rating.links import own_plans
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.spend.link_sums import Link
from gradumen.usecases.spend.spend_rows import SpendRows
from gradumen.wire.spend.month_margins import MonthMarginsBody


@use_case
def month_margins(tx: Session, caller: Caller, *, organisation: str, period: str | None) -> MonthMarginsBody:
    """What a seller charged in a period, as its documents have it, beside what that cost it; by default this one's.

    Raises:
        Forbidden: the caller is no member of the seller: what it earns is its own.
    """
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    zone = zone_of(zone_name(tx, seller.id, scope.now.date()))
    month = Period.parse(period) if period else Period.containing(scope.now, zone)
    looked = _Looked(tx, scope, seller, month)
    mine = pairs_with(tx, seller.id, None, month.text)
    sold, own = ([row for row in mine if (row.buyer_id == seller.id) is itself] for itself in (False, True))
    charged = looked.amounts(sold, cost=False)
    costs: dict[tuple[str, str], list[Cost]] = defaultdict(list)
    bought = {each.slug: pairs_with(tx, each.id, [seller.id], month.text) for each in _suppliers(tx, seller)}
    for source, pairs in {seller.slug: own, **bought}.items():
        for (buyer, service, currency), amount in looked.amounts(pairs, cost=True).items():
            costs[buyer, service].append(Cost(source, currency, amount))
    rows = [looked.row(*key, amount, costs.pop(key[:2], [])) for key, amount in charged.items()]
    billed_in = {looked.slug(buyer): currency for buyer, currency in currencies_of(tx, seller.id).items()}
    rows += [
        looked.row(buyer, service, billed_in.get(buyer, found[0].currency), Decimal(0), found)
        for (buyer, service), found in costs.items()
    ]
    rows.sort(key=lambda row: (row.buyer == seller.slug, row.buyer, row.service, row.currency))
    not_known = sorted({row.meter for row in not_priced_of(tx, own) if row.supply_line_id is not None})
    current = current_of(tx, usage, [*mine, *chain.from_iterable(bought.values())])
    shown = [row for row in rows if row.charged or row.costs]
    return MonthMarginsBody(
        seller=seller.slug,
        period=month.text,
        rows=shown,
        cost_not_known=not_known,
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _suppliers(tx: Session, seller: OrganisationRow) -> list[OrganisationRow]:
    found = organisations_by_id(tx, suppliers_of(tx, seller.id) - {seller.id})
    return sorted(found.values(), key=lambda row: row.slug)


class _Looked:
    """A seller's month, as spend has it."""

    def __init__(self, tx: Session, scope: Scope, seller: OrganisationRow, month: Period) -> None:
        self.published = load_published(tx)
        self.plans = own_plans(tx, seller.id, self.published)
        self.rows = SpendRows(tx, scope, seller, self.published, Range(month.first_day, month.next().first_day))

    def amounts(self, pairs: list[PairRow], *, cost: bool) -> dict[tuple[str, str, str], Decimal]:
        """What pairs come to by buyer, service (the plan of what belongs to none) and currency, as on documents."""
        found: dict[tuple[str, str, str], list[Decimal]] = defaultdict(list)
        rows = self.rows.read([Link(pairs, self.rows.users.all, cost, sold=not cost)], {}, _BY)
        names = (*_BY, "currency", "amount")
        for buyer, service, plan, currency, amount in rows.select(names).iter_rows():
            found[buyer, service or plan, currency].append(unscaled(amount, AMOUNT_PLACES))
        return {key: add(amounts) for key, amounts in found.items()}

    def slug(self, buyer: UUID) -> str:
        """A buyer's slug."""
        return self.rows.organisations[buyer].slug

    def row(self, buyer: str, service: str, currency: str, amount: Decimal, found: list[Cost]) -> MonthMargin:
        """A row, with names."""
        if service:
            name = sold_name(service, self.plans, self.published)
        else:
            name = f"{self.rows.name(Dimension.PLAN, '')}: fees"
        named = self.rows.name(Dimension.BUYER, buyer)
        return MonthMargin(buyer, named, service, name, currency, amount, tuple(found))


_BY = (Dimension.BUYER, Dimension.SERVICE, Dimension.PLAN)
