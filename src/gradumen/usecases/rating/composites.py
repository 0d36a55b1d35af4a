"""What is charged with composites, or as their components, looked at."""

from collections.abc import Sequence

from gradumen.core.catalogue.rates import Composites
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.store.metering.usage import meter_rows
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.pairs import PairRow, pairs_of_buyer, pairs_with
from gradumen.store.rating.composites import CompositeUsage, composite_usage
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.rating.composites import CompositeUsageBody, CompositeUsagesBody


@use_case
def list_composites(
    tx: Session, caller: Caller, *, organisation: str, period: str, resource: str | None, limit: int
) -> CompositeUsagesBody:
    """What of a month is charged with other usage, to an organisation's customers and to itself; for its members.

    Args:
        resource: only of this composite, or of this component.

    Raises:
        Forbidden: the caller is no member: what is charged below is between others.
        Invalid: no such month.
    """
    at_one_moment(tx)
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, owner)
    month = Period.parse(period)
    pairs = [*pairs_with(tx, owner.id, None, month.text), *pairs_of_buyer(tx, owner.id, month.text)]
    pairs = [row for row in pairs if row.seller_id != row.buyer_id]
    current = current_of(tx, usage, pairs)
    rows = composite_usage(tx, pairs, resource, limit + 1)
    return CompositeUsagesBody(
        organisation=owner.slug,
        period=month.text,
        items=_items(tx, rows[:limit], pairs),
        more=len(rows) > limit,
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _items(tx: Session, rows: Sequence[CompositeUsage], pairs: Sequence[PairRow]) -> list[CompositeUsageBody]:
    links = {row.id: (row.seller_id, row.buyer_id) for row in pairs}
    named = {each.organisation for each in rows} | {party for each in rows for party in links[each.pair]}
    names = organisations_by_id(tx, named)
    units = {row.slug: row.unit for row in meter_rows(tx).values()}
    published = load_published(tx)
    return [
        CompositeUsageBody(
            composite=each.composite,
            charged_as=Composites.WHOLE if each.whole else Composites.COMPONENTS,
            resource=each.resource,
            meter=each.meter,
            meter_name=meter_name(each.meter, published),
            unit=units[each.meter],
            quantity=each.quantity,
            hours=each.hours,
            organisation=names[each.organisation].slug,
            organisation_name=names[each.organisation].name,
            seller=names[links[each.pair][0]].slug,
            buyer=names[links[each.pair][1]].slug,
        )
        for each in rows
    ]
