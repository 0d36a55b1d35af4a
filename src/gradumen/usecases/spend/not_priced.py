"""Usage that is not priced: of whom, of which resources, and why; what somebody writes a rate or a subscription for."""

from collections import defaultdict
from decimal import Decimal

from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.metering.usage import attribute_sets, meter_rows
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.pairs import pairs_with
from gradumen.store.rating.resources_charged import NotPricedResource, not_priced_resources
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.charges import why_not_priced
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.spend.not_priced import NotPricedUsageBody, NotPricedUsagesBody

EXAMPLES = 5


@use_case
def list_not_priced(tx: Session, caller: Caller, *, organisation: str, period: str) -> NotPricedUsagesBody:
    """What of a month is not priced to a seller's customers, but for what is only watched; for its members alone.

    Raises:
        Forbidden: the caller is no member of the seller: what it charges is its own.
        Invalid: no such month.
    """
    at_one_moment(tx)
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, seller)
    month = Period.parse(period)
    pairs = [row for row in pairs_with(tx, seller.id, None, month.text) if row.buyer_id != seller.id]
    current = current_of(tx, usage, pairs)
    items = _items(tx, not_priced_resources(tx, pairs))
    return NotPricedUsagesBody(
        organisation=seller.slug, period=month.text, items=items, as_of=current.as_of, waiting=current.waiting
    )


def _items(tx: Session, rows: list[NotPricedResource]) -> list[NotPricedUsageBody]:
    names = organisations_by_id(tx, {each.organisation for each in rows})
    sets = attribute_sets(tx, {each.attributes for each in rows if each.attributes is not None})
    units = {row.slug: row.unit for row in meter_rows(tx).values()}
    published = load_published(tx)
    alike: dict[tuple[object, ...], list[NotPricedResource]] = defaultdict(list)
    for each in (row for row in rows if row.meter not in published.watched):
        alike[each.meter, each.no_rate, each.organisation, each.attributes].append(each)
    items = []
    for there in alike.values():
        first, resources = there[0], sorted({each.resource for each in there if each.resource is not None})
        items.append(
            NotPricedUsageBody(
                meter=first.meter,
                meter_name=meter_name(first.meter, published),
                unit=units.get(first.meter) or published.meter(first.meter).unit.text,
                reason=why_not_priced(first.no_rate, first.meter, first.quantity),
                organisation=names[first.organisation].slug,
                organisation_name=names[first.organisation].name,
                attributes={} if first.attributes is None else sets[first.attributes],
                resources=len(resources),
                examples=resources[:EXAMPLES],
                quantity=add([each.quantity for each in there]),
            )
        )
    return sorted(items, key=lambda each: (each.meter, -abs(Decimal(each.quantity)), each.organisation))
