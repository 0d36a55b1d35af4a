"""The limits that a charge of what quotas promise was made from."""

from datetime import UTC, datetime
from uuid import UUID

from gradumen.core.catalogue.rates import PROMISED
from gradumen.core.exact import QUANTITY_PLACES, unscaled
from gradumen.core.rating.promises import limits_over
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_of
from gradumen.store.organisations.tables import trees_between
from gradumen.store.rating.current_charges import lines_by_id
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.rating.promised_usage import changes_of, level_factor
from gradumen.wire.billing.explanations import PromisedLimit


def limits_behind(
    tx: Session, line: UUID, meter: str | None, seller: UUID, start: datetime, end: datetime
) -> list[PromisedLimit] | None:
    """The limits of whom a line is charged to, of its projects, and of those whom it passed some on; None of usage.

    Args:
        line: the supply line of the charge.
        start: of the charge's service, whose ``end`` is the other.
    """
    if meter is None or not meter.startswith(PROMISED):
        return None
    [(_, subscription)] = lines_by_id(tx, [line])
    owner = subscription.organisation_id
    trees = trees_between(tx, start, end)
    passed_on = {each for _, tree in trees for each in tree.children(owner)}
    above = {each for _, tree in trees for each in tree.chain(seller)}
    measure = load_published(tx).measures.ever[meter.removeprefix(PROMISED)]
    rows = organisations_by_id(tx, {owner, *passed_on})
    called = {row.id: (row.slug, row.name) for row in rows.values()}
    own, name = called[owner]
    called |= {row.id: (f"{own}/{row.slug}", f"{name}: {row.name}") for row in projects_of(tx, [owner])}
    changes = changes_of(tx, {owner, *passed_on}, measure, above, end)
    factor = level_factor(measure)
    spans = limits_over(changes, int(start.timestamp()), int(end.timestamp()))
    found = [
        PromisedLimit(
            holder=called[each.holder][0],
            holder_name=called[each.holder][1],
            site=each.place or None,
            limit=unscaled(each.level // factor, QUANTITY_PLACES),
            unit=measure.unit,
            start=datetime.fromtimestamp(each.start, UTC),
            end=datetime.fromtimestamp(each.end, UTC),
        )
        for each in spans
        if each.holder in called
    ]
    return sorted(found, key=lambda each: (each.holder != own, each.holder, each.site or "", each.start))
