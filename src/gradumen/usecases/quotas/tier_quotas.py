"""The quotas that tiers promise: those of all subscriptions of an organisation fit what it was granted."""

from collections import defaultdict
from datetime import date
from decimal import Decimal, localcontext
from uuid import UUID

from gradumen.core.errors import QuotaExceeded
from gradumen.core.exact import EXACT, add, figure, text
from gradumen.core.quotas.measures import amount_words
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.subscriptions.sales import promising_lines
from gradumen.store.subscriptions.tables import SubscriptionRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published, plan_of
from gradumen.usecases.limits import Limits, lock_quota, say_unlimited
from gradumen.usecases.scope import Scope


def check_tier_quotas(
    tx: Session, scope: Scope, buyer: OrganisationRow, row: SubscriptionRow, day: date, published: Published
) -> None:
    """Check that what the tiers of an organisation's subscriptions promise together fits its limits, from a day on.

    A subscription just written counts. Grants to the organisation meet here, since both write its quota.

    Raises:
        QuotaExceeded: names what the subscription asks and what the others leave.
    """
    measures = sorted({of for each, of in promised_by_tiers(tx, buyer.id, day, published) if each == row.id})
    known = load_measures(tx)
    for measure in measures:
        say_unlimited(tx, scope.tree, buyer.id, known[measure], scope.now)
        lock_quota(tx, scope.tree, buyer, buyer.id, None, known[measure])
    # Only now, that rivals wait, is what they have written seen.
    promised = promised_by_tiers(tx, buyer.id, day, published)
    limits = Limits(tx, scope.tree, [buyer.id])
    for measure in measures:
        held = limits.holding(tx.get_one(QuotaRow, (buyer.id, measure), populate_existing=True), buyer.slug)
        asked = promised.get((row.id, measure), Decimal(0))
        others = add([amount for (each, of), amount in promised.items() if of == measure and each != row.id])
        if held.ceiling is None or held.limit is None or not asked:
            continue
        if add([asked, others, held.granted]) > held.ceiling:
            left = max(add([held.ceiling, -others, -held.granted]), Decimal(0))
            passed_on = " and what it has passed on" if held.granted else ""
            raise QuotaExceeded(
                f"this needs {amount_words(held.measure, asked)}, and of {buyer.name}'s {figure(held.limit)} its other "
                f"subscriptions{passed_on} leave {figure(left)}; ask its seller for more, or choose a smaller tier",
                measure=measure,
                asked=text(asked),
                left=text(left),
                limit=text(held.limit),
                holder=buyer.slug,
            )


def promised_by_tiers(
    tx: Session, organisation: UUID, day: date, published: Published
) -> dict[tuple[UUID, str], Decimal]:
    """The most that each subscription promises on any day from one on, by subscription and measure."""
    rows = promising_lines(tx, organisation, day)
    found: dict[tuple[UUID, str], Decimal] = defaultdict(Decimal)
    for number, (subscription, line, version) in enumerate(rows):
        follows = rows[number + 1] if number + 1 < len(rows) else None
        if follows is not None and follows[0].id == subscription.id and follows[1].starts_on <= day:
            continue
        for quota in plan_of(version, published).tier(line.tier).quotas:
            key = (subscription.id, quota.measure)
            with localcontext(EXACT):
                found[key] = max(found[key], quota.limit * line.quantity)
    return dict(found)
