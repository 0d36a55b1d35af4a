"""Orders of customers: made at once up to what their seller lets through, else when it approves.

An order is carried out when it is made, so that whatever refuses it is said at once; where it has to wait, that is
taken back, and carried out again when it is approved. Waiting holds nothing.
"""

from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.catalogue.plans import Plan
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.exact import add, text
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.orders import Approver, Fees, OrderKind, OrderState, fees_of, waits
from gradumen.store.catalogue.rate_cards import cards_by_id
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.tables import OrganisationRow, local_day
from gradumen.store.subscriptions import orders as store
from gradumen.store.subscriptions.tables import OrderPolicyRow, OrderRow, SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.card_choice import choose_card
from gradumen.usecases.catalogue.member_services import require_services
from gradumen.usecases.catalogue.published import Published, load_cards, load_published, plan_of
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, today_at_seller
from gradumen.usecases.subscriptions.order_basis import Basis, basis_of, changes_of, seal_of_basis
from gradumen.usecases.subscriptions.order_mail import tell_order
from gradumen.usecases.subscriptions.order_views import views
from gradumen.usecases.subscriptions.subscription_changes import change, end
from gradumen.usecases.subscriptions.subscriptions import Accepted, Wanted, subscribe
from gradumen.usecases.subscriptions.supply_lines import is_tried, own_lines
from gradumen.wire.subscriptions.orders import OrderBody, OrderCreate

LONGEST = 1000
NOTHING = Fees(Decimal(0), Decimal(0))


@use_case
def place_order(tx: Session, caller: Caller, *, organisation: str, wanted: OrderCreate) -> OrderBody:
    """Order of the organisation's seller: carried out at once, or waiting for its approval.

    Raises:
        Forbidden: the caller is no member of it that may order.
        Invalid: what the kind of order needs is not said, or its day is over.
        Conflict: it buys from nobody.
        NotOffered, NotPriceable, QuotaExceeded, NotActive: as for a subscription that its seller makes.
    """
    scope = load_scope(tx, caller)
    buyer = get_organisation(tx, scope, organisation)
    scope.require_member(Right.ORDER, buyer)
    seller = scope.tree.parents.get(buyer.id)
    if seller is None:
        raise Conflict(f"{buyer.name} buys from nobody: it subscribes itself")
    wanted = _checked(wanted, local_day(tx, seller, scope.now))
    _check_services(tx, scope, buyer.id, wanted)
    lock_organisation(tx, buyer.id)
    row = OrderRow(id=uuid4(), organisation_id=buyer.id, seller_id=seller, kind=wanted.kind)
    row.wanted = wanted.model_dump(mode="json", exclude_none=True)
    row.subscription_id = wanted.subscription
    row.asked_by, row.asked_at = caller.user_id, scope.now
    published = load_published(tx)
    _try(tx, scope, row, buyer, wanted.day, published)
    tx.add(row)
    tx.flush()
    placed = views(tx, scope, [row], published)[0]
    values = {"amount": f"{text(placed.amount)} {placed.currency}", "purchase_order": wanted.purchase_order}
    action = "order waits" if row.state == OrderState.WAITING else "order carried out"
    record(tx, caller, action, buyer.id, placed.what, concerns=_told(row), after=values)
    tell_order(tx, scope, row, placed)
    return placed


def _check_services(tx: Session, scope: Scope, acting: UUID, wanted: OrderCreate) -> None:
    """Check that an order is of services of which the caller orders, or approves, for an organisation."""
    if wanted.kind is OrderKind.SUBSCRIBE:
        require_services(tx, scope, acting, wanted.plan or "")
    elif subscription := tx.get(SubscriptionRow, wanted.subscription):
        require_services(tx, scope, acting, subscription.plan_id)


def _told(row: OrderRow) -> UUID | None:
    """The seller, where it knows of an order: what an organisation decides among its own people is its own."""
    return row.seller_id if row.reached else None


def _try(tx: Session, scope: Scope, row: OrderRow, buyer: OrganisationRow, day: date, published: Published) -> Decimal:
    """Carry an order out; where it has to wait that is taken back. Gives what it adds."""
    with tx.begin_nested() as trial:
        subscription, amount, currency = _carry_out(tx, scope, row, buyer, day, published)
        approver = _waits_for(tx, row, amount, currency)
        if approver is not None:
            trial.rollback()
    row.amount, row.currency, row.waits_for = amount, currency, approver
    row.basis = basis_of(tx, row, published) if approver else None
    row.at_once, row.reached = approver is None, approver is not Approver.OWN
    row.state = OrderState.DONE if approver is None else OrderState.WAITING
    if approver is None:
        row.subscription_id = subscription
    return amount


def _waits_for(tx: Session, row: OrderRow, amount: Decimal, currency: str) -> Approver | None:
    """Whose approval an order waits for: its own people's first, who may have given it, then its seller's."""
    own = tx.get(OrderPolicyRow, (row.organisation_id, Approver.OWN, currency))
    sold = tx.get(OrderPolicyRow, (row.seller_id, Approver.SELLER, currency))
    limits = {
        Approver.OWN: own.amount if own and row.own_by is None else None,
        Approver.SELLER: sold.amount if sold else Decimal(0),
    }
    since = row.asked_at.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    for approver, limit in limits.items():
        earlier = store.ordered_since(tx, row.organisation_id, currency, since, approver)
        if waits(OrderKind(row.kind), amount, earlier, limit):
            return approver
    return None


def _checked(wanted: OrderCreate, today: date) -> OrderCreate:
    """An order that says what its kind needs, for no day that is over; its texts without needless spaces."""
    needed = ("plan", "tier", "name") if wanted.kind is OrderKind.SUBSCRIBE else ("subscription",)
    for field in needed:
        if getattr(wanted, field) is None:
            raise Invalid(f"an order to {wanted.kind} names its {field}", field=field)
    if wanted.kind is OrderKind.CHANGE and wanted.tier is None and wanted.quantity is None and not wanted.choices:
        raise Invalid("a change names another tier, quantity or choice", field="tier")
    first = date.fromordinal(today.toordinal() + (wanted.kind is OrderKind.END))
    if wanted.day < first:
        raise Invalid(f"day {wanted.day} is over; order from {first} on", field="day", value=wanted.day)
    texts = {
        field: name_of(" ".join(said.split()), field=field, most=most)
        for field, most in (("purchase_order", 60), ("reason", LONGEST))
        if (said := getattr(wanted, field)) is not None
    }
    return wanted.model_copy(update=texts)


def _carry_out(
    tx: Session, scope: Scope, row: OrderRow, buyer: OrganisationRow, day: date, published: Published
) -> tuple[UUID, Decimal, str]:
    """Do what is ordered, from a day on; gives the subscription, and what it adds in which currency."""
    wanted = OrderCreate.model_validate(row.wanted)
    accepted = Accepted(wanted.accepted_terms, row.asked_by, row.asked_at)
    if wanted.kind is OrderKind.SUBSCRIBE:
        scope.require_active(tx, buyer)
        plan, tier, quantity = wanted.plan or "", wanted.tier or "", wanted.quantity or 1
        asked = Wanted(plan, tier, wanted.name or "", quantity, day, project=wanted.project, choices=wanted.choices)
        made = subscribe(tx, scope, buyer, asked, accepted, published)
        seller = tx.get_one(OrganisationRow, row.seller_id)
        card = choose_card(tx, seller, buyer, None)
        fees = _fees(tx, card.id, plan, tier, quantity, day, published)
        return made.id, add([fees.monthly, fees.once]), card.currency
    subscription = tx.get(SubscriptionRow, wanted.subscription, with_for_update=True)
    if subscription is None or subscription.organisation_id != buyer.id:
        raise NotFound("subscription", wanted.subscription or "")
    before, currency = monthly_of(tx, subscription, day, published)
    if wanted.kind is OrderKind.END:
        if subscription.ends_on is not None and day > subscription.ends_on:
            last = date.fromordinal(subscription.ends_on.toordinal() - 1)
            raise Invalid(
                f"'{subscription.name}' ends with {last} already; order an earlier end", field="day", value=day
            )
        end(tx, scope, subscription, day, published)
        amount = Decimal(0)
    else:
        asked_values: dict[str, Any] = {
            "tier": wanted.tier, "quantity": wanted.quantity, "choices": wanted.choices,
        }  # fmt: skip
        change(tx, scope, subscription, day, accepted, published, **asked_values)
        after, _ = monthly_of(tx, subscription, day, published)
        amount = add([after, -before])
        if amount < 0:
            _check_term(tx, subscription, day, today_at_seller(tx, scope, buyer.id), published)
    return subscription.id, amount, currency


def _check_term(tx: Session, row: SubscriptionRow, day: date, today: date, published: Published) -> None:
    """Within a term that it agreed to, a customer takes no less by itself."""
    lines = own_lines(tx, row.id)
    plan = _plan_of_line(tx, lines[-1], published)
    earliest = plan.duration.earliest_end(row.starts_on, today)
    if day < earliest and not is_tried(lines, plan, row.starts_on, day):
        raise Invalid(
            f"'{row.name}' is agreed until {earliest}: it may cost less from that day on; got {day}",
            field="day",
            value=day,
        )


def monthly_of(tx: Session, row: SubscriptionRow, day: date, published: Published) -> tuple[Decimal, str]:
    """What a subscription costs a month by its fees on a day, on its own link."""
    line = [each for each in own_lines(tx, row.id) if each.starts_on <= max(day, row.starts_on)][-1]
    plan = _plan_of_line(tx, line, published)
    fees = NOTHING if line.paused else _fees(tx, line.rate_card_id, plan.slug, line.tier, line.quantity, day, published)
    return fees.monthly, cards_by_id(tx, {line.rate_card_id})[line.rate_card_id].currency


def _plan_of_line(tx: Session, line: SupplyLineRow, published: Published) -> Plan:
    return plan_of(tx.get_one(PlanVersionRow, line.plan_version_id), published)


def _fees(tx: Session, card: UUID, plan: str, tier: str, quantity: int, day: date, published: Published) -> Fees:
    """What a tier costs by a card's fees on a day."""
    versions = load_cards(tx, [card], published)[card].versions
    held = [each for each in versions if each.starts_on <= day] or list(versions[:1])
    return fees_of(held[-1].fees(plan, tier), quantity) if held else NOTHING


@use_case
def answer_order(
    tx: Session,
    caller: Caller,
    *,
    order: UUID,
    approve: bool,
    amount: Decimal | None,
    reason: str | None,
    seal: str | None = None,
) -> OrderBody:
    """Approve an order that waits, which carries it out, or refuse it with a reason. Asking again changes nothing.

    Args:
        amount: what is approved; an order that adds more by now is not carried out.
        seal: that of the order as it was read; needed where plan or prices changed since it was ordered.

    Raises:
        NotFound: there is none, or the caller is a member of neither side.
        Forbidden: it is its seller's to answer.
        Conflict: it is answered or withdrawn already, it adds more than is approved, or one's own.
        EditedMeanwhile: its plan or prices are others than when it was ordered, and than was read.
        NotOffered, NotPriceable, QuotaExceeded, NotActive: it cannot be carried out any more; it goes on waiting.
    """
    scope = load_scope(tx, caller)
    row = _seen(tx, scope, order)
    _check_approver(tx, scope, row)
    said = name_of(" ".join(reason.split()), field="reason", most=LONGEST) if reason else None
    published = load_published(tx)
    passed_on = approve and row.own_by == caller.user_id
    answered = row.answered_by is not None and row.state == (OrderState.DONE if approve else OrderState.REFUSED)
    if passed_on or answered:
        return views(tx, scope, [row], published)[0]
    if row.state != OrderState.WAITING:
        raise Conflict(f"this order is {row.state} already")
    if not approve and said is None:
        raise Invalid("say why it is refused: the one who ordered reads it", field="reason")
    own = row.waits_for == Approver.OWN
    if approve:
        _check_services(tx, scope, row.organisation_id if own else row.seller_id, OrderCreate(**row.wanted))
        before, now = row.basis, basis_of(tx, row, published)
        _approve(tx, scope, row, amount, published)
        _check_basis(before, now, seal)
    else:
        row.state, row.waits_for = OrderState.REFUSED, None
    if row.state != OrderState.WAITING:
        row.answer, row.answered_by, row.answered_at = said, caller.user_id, scope.now
    tx.flush()
    told = views(tx, scope, [row], published)[0]
    acting, other = (row.organisation_id, _told(row)) if own else (row.seller_id, row.organisation_id)
    values = {"amount": f"{text(row.amount)} {row.currency}", "reason": said}
    action = "order approved" if approve else "order refused"
    record(tx, caller, action, acting, told.what, concerns=other, after=values)
    tell_order(tx, scope, row, told)
    return told


def _check_approver(tx: Session, scope: Scope, row: OrderRow) -> None:
    """Who answers an order: its seller, or of what waits within the organisation one of its administrators."""
    own = row.waits_for == Approver.OWN or row.own_by == scope.caller.user_id
    owner, right = (row.organisation_id, Right.MANAGE_MEMBERS) if own else (row.seller_id, Right.MANAGE_SUBSCRIPTIONS)
    if not scope.is_member(owner, right):
        found = tx.get_one(OrganisationRow, owner)
        raise Forbidden(right=right, organisation=found.slug, name=found.name)


def _check_basis(before: Basis | None, now: Basis, seal: str | None) -> None:
    """What was ordered, and read, is what is approved: not another version of the plan, and not other prices."""
    changed = changes_of(before, now)
    if changed and seal != seal_of_basis(now):
        raise EditedMeanwhile(
            f"its {' and '.join(changed)} changed since it was ordered; look at the order again, then approve it so",
            field="seal",
            changed=changed,
        )


def _approve(tx: Session, scope: Scope, row: OrderRow, amount: Decimal | None, published: Published) -> None:
    """Carry an order out that somebody approves, or let it wait for the one who is next."""
    if row.asked_by == scope.caller.user_id:
        raise Conflict("you ordered this yourself: somebody else approves it")
    if amount is None:
        raise Invalid("say which amount is approved, as the order shows it", field="amount")
    buyer = tx.get_one(OrganisationRow, row.organisation_id)
    lock_organisation(tx, buyer.id)
    if scope.tree.parents.get(buyer.id) != row.seller_id:
        raise Conflict(f"{buyer.name} buys from another seller by now; it orders there")
    day = max(OrderCreate.model_validate(row.wanted).day, local_day(tx, row.seller_id, scope.now))
    currency = row.currency
    if row.waits_for == Approver.OWN:
        row.own_by = scope.caller.user_id
        adds = _try(tx, scope, row, buyer, day, published)
    else:
        row.subscription_id, adds, row.currency = _carry_out(tx, scope, row, buyer, day, published)
        row.amount, row.state, row.waits_for = adds, OrderState.DONE, None
    if adds > amount or currency != row.currency:
        raise Conflict(
            f"this order adds {text(adds)} {row.currency} a month by now, {text(amount)} {currency} were approved; "
            "look again, then approve that",
            field="amount",
            amount=text(adds),
        )


@use_case
def withdraw_order(tx: Session, caller: Caller, *, order: UUID) -> OrderBody:
    """Take back an order that waits; asking again changes nothing.

    Raises:
        NotFound: there is none, or the caller is a member of neither side.
        Forbidden: it is for those who ordered.
        Conflict: it is answered.
    """
    scope = load_scope(tx, caller)
    row = _seen(tx, scope, order)
    scope.require_member(Right.ORDER, tx.get_one(OrganisationRow, row.organisation_id))
    published = load_published(tx)
    if row.state not in (OrderState.WAITING, OrderState.WITHDRAWN):
        raise Conflict(f"this order is {row.state} already")
    if row.state == OrderState.WAITING:
        row.state, row.waits_for, row.answered_at = OrderState.WITHDRAWN, None, scope.now
        tx.flush()
        what = views(tx, scope, [row], published)[0].what
        record(tx, caller, "order withdrawn", row.organisation_id, what, concerns=_told(row))
    return views(tx, scope, [row], published)[0]


def _seen(tx: Session, scope: Scope, order: UUID) -> OrderRow:
    row = store.lock_order(tx, order)
    if row is None or not (scope.is_member(row.organisation_id) or (row.reached and scope.is_member(row.seller_id))):
        raise NotFound("order", order)
    return row


@use_case
def list_orders(
    tx: Session, caller: Caller, *, organisation: str, state: OrderState | None, after: str | None, limit: int
) -> list[OrderBody]:
    """What an organisation ordered, and is ordered of it by those that it sells to, the latest first.

    Its direct seller reads what is ordered of it.

    Raises:
        Forbidden: the caller is a member neither of it nor of its seller: an order is between the two.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    seller = scope.tree.parents.get(owner.id)
    own = owner.id in scope.members_money()
    as_seller = seller if seller is not None and not own and seller in scope.members_money() else None
    if as_seller is None:
        scope.require_member(Right.READ_MONEY, owner)
    place = moment_place(after)
    rows = store.page_of_orders(tx, owner.id, seller=as_seller, state=state, after=place, limit=limit)
    return views(tx, scope, rows, load_published(tx))


def orders_to_approve(tx: Session, scope: Scope, seller: UUID, published: Published, most: int) -> list[OrderBody]:
    """What waits for a seller's approval."""
    return views(tx, scope, store.waiting_orders(tx, seller, most=most), published)


def orders_among(tx: Session, scope: Scope, owner: UUID, published: Published, most: int) -> list[OrderBody]:
    """What of an organisation's own orders waits for one of its people."""
    return views(tx, scope, store.waiting_among(tx, owner, most=most), published)


def orders_answered(
    tx: Session, scope: Scope, owner: UUID, since: datetime, published: Published, most: int
) -> list[OrderBody]:
    """What an organisation ordered and was answered lately."""
    return views(tx, scope, store.answered_orders(tx, owner, since, most=most), published)
