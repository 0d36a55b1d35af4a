"""Orders as their viewers see them, and in words."""

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.store.access.members import names_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.subscriptions.subscriptions import own_lines, subscriptions_by_id
from gradumen.store.subscriptions.tables import OrderRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.scope import Scope
from gradumen.usecases.subscriptions.order_basis import bases_of, changes_of, seal_of_basis
from gradumen.wire.subscriptions.orders import OrderBody, OrderCreate


def _words(tx: Session, rows: Sequence[OrderRow], published: Published) -> dict[UUID, str]:
    """What is ordered, in the names of its seller."""
    plans = {
        (seller, each.slug): renamed(published.plans[each.slug], each.offer)
        for seller in {row.seller_id for row in rows}
        for each in Offers(tx, [seller], published).of.values()
    }
    ids = {row.subscription_id for row in rows if row.subscription_id}
    named = subscriptions_by_id(tx, ids)
    held = {line.subscription_id: version.document["plan"] for line, version in own_lines(tx, ids)}
    found = {}
    for row in rows:
        wanted = OrderCreate.model_validate(row.wanted)
        slug = wanted.plan or held.get(row.subscription_id or row.id, "")
        subscription = named.get(row.subscription_id or row.id)
        name = subscription.name if subscription else "a subscription"
        found[row.id] = _said(wanted, slug, plans.get((row.seller_id, slug)), name)
    return found


def _said(wanted: OrderCreate, slug: str, plan: Plan | None, name: str) -> str:
    """An order in words; ``plan`` as its seller calls it, None where it is not offered any more."""
    if wanted.kind is OrderKind.END:
        return f"{name} ends with {date.fromordinal(wanted.day.toordinal() - 1)}"
    tiers = {each.slug: each.name for each in plan.tiers} if plan else {}
    tier = tiers.get(wanted.tier or "", wanted.tier)
    new = wanted.kind is OrderKind.SUBSCRIBE
    count = None if new and wanted.quantity == 1 else wanted.quantity
    pieces = "" if count is None else f", {count} piece{'' if count == 1 else 's'}"
    chosen = "".join(f", {key.partition('/')[2]} {value}" for key, value in (wanted.choices or {}).items())
    what = f"{plan.name if plan else slug} {tier}" if new else f"{name}, {tier}" if tier else name
    return f"{what}{pieces}{chosen} from {wanted.day}"


def views(tx: Session, scope: Scope, rows: Sequence[OrderRow], published: Published) -> list[OrderBody]:
    """Orders as their viewers see them."""
    known = organisations_by_id(tx, {each for row in rows for each in (row.organisation_id, row.seller_id)})
    # Who ordered is named to those of its own organisation; its seller reads which organisation did.
    own = [row for row in rows if scope.is_member(row.organisation_id)]
    people = names_of(tx, {user for row in own for user in (row.asked_by, row.answered_by) if user is not None})
    what = _words(tx, rows, published)
    bases = bases_of(tx, [row for row in rows if row.waits_for], published)
    return [
        OrderBody(
            id=row.id,
            organisation=known[row.organisation_id].slug,
            organisation_name=known[row.organisation_id].name,
            seller=known[row.seller_id].slug,
            seller_name=known[row.seller_id].name,
            kind=OrderKind(row.kind),
            what=what[row.id],
            day=row.wanted["day"],
            subscription=row.subscription_id,
            amount=row.amount,
            currency=row.currency,
            purchase_order=row.wanted.get("purchase_order"),
            reason=row.wanted.get("reason"),
            state=row.state,
            waits_for=Approver(row.waits_for) if row.waits_for else None,
            changed=changes_of(row.basis, bases[row.id]) if row.id in bases else [],
            seal=seal_of_basis(bases[row.id]) if row.id in bases else "",
            at_once=row.at_once,
            answer=row.answer,
            answered_by=_answered_by(row, people, known[row.seller_id].name),
            asked_by=people.get(row.asked_by, known[row.organisation_id].name),
            asked_at=row.asked_at,
            answered_at=row.answered_at,
        )
        for row in rows
    ]


def _answered_by(row: OrderRow, people: dict[UUID, str], seller: str) -> str | None:
    """Who approved or refused an order: its seller, or one of its own people."""
    if row.answered_by is None:
        return None
    among = not row.reached or row.answered_by == row.own_by
    return people.get(row.answered_by, "its own administrator") if among else seller
