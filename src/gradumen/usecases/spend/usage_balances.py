"""What became of usage: of all that was used, what is charged, covered by allowances, or not priced, by meter."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from uuid import UUID

from gradumen.core.exact import QUANTITY_PLACES, add, unscaled
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.metering.usage import Wanted, meter_rows, meters_by_seller
from gradumen.store.organisations.tables import zone_name
from gradumen.store.pairs import pairs_with
from gradumen.store.rating.current_charges import Became, became_of
from gradumen.store.subscriptions.moves import moving_days
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.metering.usage import quantities_of, spans_of
from gradumen.usecases.rating.assigned_usage import billed_costs
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.spend.usage_balances import UsageBalanceBody, UsageBalancesBody

_NONE = Decimal(0)
NOTHING = Became(_NONE, _NONE, _NONE, _NONE, _NONE)


@use_case
def list_usage_balances(tx: Session, caller: Caller, *, organisation: str, period: str) -> UsageBalancesBody:
    """Of what a seller's customers used in a month, what became of it, by meter; for its members alone.

    Raises:
        Forbidden: the caller is no member of the seller: what it charges is its own.
        Invalid: no such month.
    """
    at_one_moment(tx)
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    month = Period.parse(period)
    used = _used(tx, scope, seller.id, month)
    pairs = [row for row in pairs_with(tx, seller.id, None, month.text) if row.buyer_id != seller.id]
    became = became_of(tx, pairs)
    current = current_of(tx, usage, pairs)
    published = load_published(tx)
    units = {row.slug: row.unit for row in meter_rows(tx).values()}
    return UsageBalancesBody(
        seller=seller.slug,
        period=month.text,
        items=[
            _item(meter, units[meter], used.get(meter, Decimal(0)), became.get(meter, NOTHING), published)
            for meter in sorted(used.keys() | became.keys())
        ],
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _used(tx: Session, scope: Scope, seller: UUID, month: Period) -> Mapping[str, Decimal]:
    """What everybody below a seller used of its services and those of all above it, while they were below it."""
    zone = zone_of(zone_name(tx, seller, month.first_day))
    slugs, of_seller = {id: row.slug for id, row in meter_rows(tx).items()}, meters_by_seller(tx)
    found: dict[str, int] = defaultdict(int)
    spans = list(spans_of(tx, scope, *month.bounds(zone)))
    days = moving_days(tx, [moment for _, (moment, _) in spans[1:]])
    for tree, bounds in spans:
        meters = [meter for each in tree.chain(seller) for meter in of_seller.get(each, ())]
        wanted = Wanted([(tree.below([seller]) - {seller}, meters)], None, None)
        for meter, _, quantity in quantities_of(tx, wanted, bounds, (), zone):
            found[slugs[meter]] += quantity
        theirs = days.get(bounds[0], date.min), days.get(bounds[1], date.max)
        for meter, cost in billed_costs(tx, tree.below([seller]) - {seller}, month, theirs, zone).items():
            if meter in meters:
                found[slugs[meter]] += cost
    return {meter: unscaled(quantity, QUANTITY_PLACES) for meter, quantity in found.items() if quantity}


def _item(meter: str, unit: str, used: Decimal, became: Became, published: Published) -> UsageBalanceBody:
    known = published.meters.get(meter)
    missing = became.no_rate, became.no_subscription
    rest = add([used, *(-each for each in (became.charged, became.covered, became.together, *missing))])
    watched, (no_rate, no_subscription) = Decimal(0), missing
    if meter in published.watched:
        watched, no_rate, no_subscription = add(missing), Decimal(0), Decimal(0)
    return UsageBalanceBody(
        meter=meter,
        meter_name=meter_name(meter, published),
        unit=unit,
        used=used,
        charged=became.charged,
        covered=became.covered,
        watched=watched,
        together=became.together,
        no_rate=no_rate,
        no_subscription=no_subscription,
        difference=rest if (known is None or known.sampling.additive) and not became.otherwise else None,
    )
