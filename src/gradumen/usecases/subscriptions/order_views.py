"""Orders as their viewers see them, and in words."""

from collections.abc import Collection, Sequence
from datetime import date
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.store.access.members import names_of
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.subscriptions.subscriptions import subscriptions_by_id
from gradumen.store.subscriptions.tables import OrderRow, SubscriptionRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.scope import Scope
from gradumen.wire.subscriptions.orders import OrderBody, OrderCreate


def _words(tx: Session, rows: Sequence[OrderRow], published: Published) -> dict[UUID, str]:
    """What is ordered, in the names of its seller."""
    sellers: Collection[UUID] = {row.seller_id for row in rows}
    plans = {
        (seller, each.slug): renamed(published.plans[each.slug], each.offer)
        for seller in sellers
        for each in Offers(tx, [seller], published).of.values()
    }
    named = subscriptions_by_id(tx, {row.subscription_id for row in rows if row.subscription_id})
    return {row.id: _said(row, named, plans) for row in rows}


def _said(row: OrderRow, named: dict[UUID, SubscriptionRow], plans: dict[tuple[UUID, str], Plan]) -> str:
    wanted = OrderCreate.model_validate(row.wanted)
    pieces = f", {wanted.quantity} pieces" if wanted.quantity not in (None, 1) else ""
    if wanted.kind is OrderKind.SUBSCRIBE:
        plan = plans.get((row.seller_id, wanted.plan or ""))
        tiers = {each.slug: each.name for each in plan.tiers} if plan else {}
        tier = tiers.get(wanted.tier or "", wanted.tier)
        return f"{plan.name if plan else wanted.plan} {tier}{pieces} from {wanted.day}"
    subscription = named.get(row.subscription_id or row.id)
    name = subscription.name if subscription else "a subscription"
    if wanted.kind is OrderKind.END:
        return f"{name} ends with {date.fromordinal(wanted.day.toordinal() - 1)}"
    pieces = f", {wanted.quantity} pieces" if wanted.quantity is not None else ""
    chosen = "".join(f", {key.partition('/')[2]} {value}" for key, value in (wanted.choices or {}).items())
    tier = f", tier {wanted.tier}" if wanted.tier else ""
    return f"{name}{tier}{pieces}{chosen} from {wanted.day}"


def views(tx: Session, scope: Scope, rows: Sequence[OrderRow], published: Published) -> list[OrderBody]:
    """Orders as their viewers see them."""
    known = organisations_by_id(tx, {each for row in rows for each in (row.organisation_id, row.seller_id)})
    # Who ordered is named to those of its own organisation; its seller reads which organisation did.
    own = [row for row in rows if scope.is_member(row.organisation_id)]
    people = names_of(tx, {user for row in own for user in (row.asked_by, row.answered_by) if user is not None})
    what = _words(tx, rows, published)
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
