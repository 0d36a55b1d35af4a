"""What needs somebody: work and its health first, then money, then what is about to change."""

from collections.abc import Iterator
from datetime import timedelta

from gradumen.core.catalogue.rates import PROMISED
from gradumen.core.errors import Forbidden
from gradumen.core.exact import figure, money
from gradumen.core.metering.breaches import BreachState, above_words
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import amount_words, of_words
from gradumen.core.subscriptions.orders import OrderState
from gradumen.core.tasks import State
from gradumen.core.units import counted
from gradumen.store.billing.invoices import Wanted, sums_of_invoices
from gradumen.store.messages import count_failed
from gradumen.store.metering.imported_costs import nobodys_costs
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.quotas.hosts import silent_hosts
from gradumen.store.quotas.measures import load_measures
from gradumen.store.spend import to_dos as store
from gradumen.store.tasks import page_of_tasks
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.price_changes import price_changes_of
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.breaches import breaches_to_do
from gradumen.usecases.metering.unknown_kinds import count_unknown
from gradumen.usecases.metering.unowned_usage import count_unowned
from gradumen.usecases.quotas.pools import short_pools
from gradumen.usecases.quotas.quota_requests import requests_answered, requests_to_answer
from gradumen.usecases.quotas.quotas import quotas_held
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.spend.feed_to_dos import RECENT, feed_to_dos
from gradumen.usecases.subscriptions.endings import Words, endings_of, path_of
from gradumen.usecases.subscriptions.onboardings import to_approve
from gradumen.usecases.subscriptions.orders import orders_among, orders_answered, orders_to_approve
from gradumen.wire.spend.to_dos import ToDoBody, Weight
from gradumen.wire.subscriptions.orders import OrderBody

NEW = timedelta(days=14)
"""For so long an issued document is told to its buyer."""
_ORDER = list(Weight)
_FULL = 90
"""Percent of a quota from which on it is nearly full."""
SILENT = timedelta(hours=3)
"""For so long hosts may not be told before that is to be looked at."""
MOST = 10
"""Of one kind, at most."""


@use_case
def list_to_dos(tx: Session, caller: Caller, *, organisation: str) -> list[ToDoBody]:
    """What needs the members of an organisation, the most pressing first.

    Raises:
        Forbidden: the caller is no member of it.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    if not scope.is_member(owner.id):
        raise Forbidden(right=Right.READ, organisation=owner.slug, name=owner.name)
    found = [*_work(tx, owner, provider=owner.type == "provider"), *_quotas(tx, scope, owner)]
    found += [*_breaches(tx, scope, owner), *_capacity(tx, scope, owner)]
    found += [*_asked(tx, scope, owner), *_mail(tx, scope, owner)]
    if owner.id in scope.members_money():
        found += [*_ordered(tx, scope, owner), *_on_board(tx, scope, owner), *_ending(tx, scope, owner)]
    if owner.type != "tenant":
        found += [*feed_to_dos(tx, scope, owner), *_nobodys(tx, scope, owner), *_unknown(tx, scope, owner)]
    if owner.id in scope.members_money():
        found += [*_changes(tx, scope, owner), *_bought(tx, scope, owner)]
        if owner.type != "tenant":
            month = Period.containing(scope.now, zone_of(zone_name(tx, owner.id, scope.now.date()))).text
            found += [*_charges(tx, owner), *_billing(tx, owner, month), *_not_priced(tx, owner, month)]
            found += _nobodys_costs(tx, scope, owner)
    return sorted(found, key=lambda each: _ORDER.index(each.weight))


def _work(tx: Session, owner: OrganisationRow, *, provider: bool) -> Iterator[ToDoBody]:
    for task in page_of_tasks(
        tx, [owner.id], own=provider, states=[State.NEEDS_A_HAND], kind=None, after=None, limit=MOST
    ):
        onboarding = task.inputs.get("onboarding")
        yield ToDoBody(
            kind="onboarding" if onboarding else "task",
            weight=Weight.FAILED,
            subject=onboarding or str(task.id),
            title=f"{task.kind.capitalize()} {task.subject} needs a hand",
            detail=task.problem or "",
            since=task.finished_at,
        )


def _mail(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    """Mail that did not arrive, for those who can have it sent again."""
    if not scope.is_member(owner.id, Right.MANAGE_MEMBERS):
        return
    failed = count_failed(tx, [owner.id], scope.caller.at - RECENT)
    if failed:
        yield ToDoBody(
            kind="messages",
            weight=Weight.LOOK,
            subject=owner.slug,
            title=f"{counted(failed, 'message')} could not be sent in the last seven days",
            detail="each says why; it can be sent again once that is mended",
        )


def _charges(tx: Session, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for pair, name in store.pairs_with_problems(tx, owner.id, MOST):
        yield ToDoBody(
            kind="charges",
            weight=Weight.FAILED,
            subject=pair.period,
            title=f"{name} cannot be charged for {_month(pair.period)}",
            detail=pair.problem or "",
            since=pair.stale_since,
        )


def _nobodys(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    resources = count_unowned(tx, owner.id, scope.now)
    if resources:
        yield ToDoBody(
            kind="unowned",
            weight=Weight.LOOK,
            subject=owner.slug,
            title=f"Usage of {counted(resources, 'resource')} is nobody's",
            detail="what came in lately names no owner that there is, so nobody is charged for it; a rule gives it one",
        )


def _unknown(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    resources = count_unknown(tx, owner.id, scope.now)
    if resources:
        yield ToDoBody(
            kind="unknown kind",
            weight=Weight.LOOK,
            subject=owner.slug,
            title=f"What {counted(resources, 'resource')} sent is of unknown kind",
            detail="no meter is called so and no rule says what it is, so nobody is charged for it; a rule can read it",
        )


def _nobodys_costs(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    costs = nobodys_costs(tx, owner.id, (scope.now - timedelta(days=35)).date())
    if costs:
        amounts = " and ".join(f"{money(billed, currency)} {currency}" for currency, billed in costs)
        yield ToDoBody(
            kind="unowned",
            weight=Weight.LOOK,
            subject=owner.slug,
            title=f"{amounts} of suppliers' costs are nobody's",
            detail="no rule says whose these accounts are, so nobody is charged for them; a rule gives them an owner",
        )


def _billing(tx: Session, owner: OrganisationRow, month: str) -> Iterator[ToDoBody]:
    sums = sums_of_invoices(tx, [owner.id], Wanted(state="draft", seller=owner.slug))
    count = sum(each[1] for each in sums)
    if count:
        amounts = " and ".join(f"{money(gross, currency)} {currency}" for currency, _, _, gross in sums)
        yield ToDoBody(
            kind="drafts",
            weight=Weight.LOOK,
            subject=owner.slug,
            title=f"{counted(count, 'draft')} to review",
            detail=f"{amounts} with tax; they become invoices when they are issued",
        )
        return
    for period, buyers in store.months_to_bill(tx, owner.id, month)[:1]:
        yield ToDoBody(
            kind="to bill",
            weight=Weight.LOOK,
            subject=period,
            title=f"{_month(period)} is not billed for {counted(buyers, 'customer')}",
            detail="a bill run makes the drafts; what came in late is on them too",
        )


def _not_priced(tx: Session, owner: OrganisationRow, month: str) -> Iterator[ToDoBody]:
    rows = store.not_priced_meters(tx, owner.id, month)
    published = load_published(tx)
    for meter, organisations, no_rate in (row for row in rows if row[0] not in published.watched):
        promised = meter.startswith(PROMISED)
        what, whose = "priced" if promised else "used", counted(organisations, "organisation")
        why = "no rate of their cards prices it" if no_rate else "no subscription of theirs takes it"
        yield ToDoBody(
            kind="not priced",
            weight=Weight.LOOK,
            subject=meter,
            title=f"{meter_name(meter, published)} is {what} and not charged: {whose}",
            detail="they have no limit of it, or none where a rate prices it" if promised else why,
        )


def _quotas(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    measures = load_measures(tx)
    for quota in quotas_held(tx, scope, owner):
        if not quota.limit or quota.left is None or quota.project is not None or owner.type == "tenant":
            continue
        if quota.left * 100 <= quota.limit * (100 - _FULL):
            over, measure = quota.left < 0, measures[quota.measure]
            of = of_words(measure)
            yield ToDoBody(
                kind="quota",
                weight=Weight.FAILED if over else Weight.LOOK,
                subject=quota.measure,
                title=f"{amount_words(measure, -quota.left)}{of} more are had and passed on than there are"
                if over
                else f"{figure(quota.left)} of {amount_words(measure, quota.limit)}{of} are left",
                detail="ask your seller for more, or take some back"
                if owner.type == "reseller"
                else "add capacity, or take some back",
            )


def _breaches(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for breach in breaches_to_do(tx, scope, owner.id, MOST):
        who = f"{breach.project_name} of {breach.organisation_name}" if breach.project else breach.organisation_name
        grace = breach.state == BreachState.GRACE and breach.grace_until
        yield ToDoBody(
            kind="breach",
            weight=Weight.LOOK if grace else Weight.FAILED,
            subject=breach.organisation,
            title=above_words(who, load_measures(tx)[breach.measure], breach.used, breach.crossed, breach.limit),
            detail=f"until {breach.grace_until:%-d %B} that may be"
            if grace
            else "give it more, or talk to it"
            if breach.organisation != owner.slug
            else "use less, or have the limit raised",
            since=breach.opened_at,
        )


def _capacity(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for pool in short_pools(tx, scope, owner):
        measure = load_measures(tx)[pool.measure]
        yield ToDoBody(
            kind="pool",
            weight=Weight.FAILED,
            subject=pool.site_slug,
            title=f"{amount_words(measure, -pool.left)}{of_words(measure)} more are promised at {pool.site_name} "
            "than there are",
            detail="nothing more is promised there until it fits again; add capacity, or take some back",
        )
    for slug, name, look in silent_hosts(tx, owner.id, scope.caller.at - SILENT):
        yield ToDoBody(
            kind="hosts",
            weight=Weight.LOOK,
            subject=slug,
            title=f"The hosts of {name} are told no more",
            detail=look.problem or "",
            since=look.failing_since,
        )


def _asked(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for request in requests_to_answer(tx, scope, [owner.id], MOST):
        measure = load_measures(tx)[request.measure]
        has = "no limit" if request.present is None else amount_words(measure, request.present)
        yield ToDoBody(
            kind="quota request",
            weight=Weight.LOOK,
            subject=request.organisation,
            title=f"{request.organisation_name} asks for {amount_words(measure, request.asked)}, it has {has}",
            detail=request.reason,
            since=request.asked_at,
        )
    for request in requests_answered(tx, scope, owner.id, scope.now - RECENT, MOST):
        measure = load_measures(tx)[request.measure]
        given = "nothing" if request.answered is None else amount_words(measure, request.answered)
        yield ToDoBody(
            kind="quota request",
            weight=Weight.NOTE,
            subject=request.organisation,
            title=f"{amount_words(measure, request.asked)} were asked for, {request.seller_name} gave {given}",
            detail=request.answer or request.reason,
            since=request.answered_at,
        )


def _ordered(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    published = load_published(tx)
    for order in orders_to_approve(tx, scope, owner.id, published, MOST):
        yield _order_waits(order, order.organisation_name, "it waits for you to approve or refuse it")
    for order in orders_among(tx, scope, owner.id, published, MOST):
        yield _order_waits(order, order.asked_by, "it waits for another administrator to approve or refuse it")
    for order in orders_answered(tx, scope, owner.id, scope.now - RECENT, published, MOST):
        answered = "approved it" if order.state == OrderState.DONE else "refused it"
        yield ToDoBody(
            kind="order",
            weight=Weight.NOTE,
            subject=order.organisation,
            title=f"{order.what}: {order.answered_by} {answered}",
            detail=order.answer or "",
            since=order.answered_at,
        )


def _order_waits(order: OrderBody, who: str, detail: str) -> ToDoBody:
    return ToDoBody(
        kind="order",
        weight=Weight.LOOK,
        subject=order.organisation,
        title=f"{who} orders {order.what}: {money(order.amount, order.currency)} {order.currency} a month",
        detail=order.reason or detail,
        since=order.asked_at,
    )


def _on_board(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for each in to_approve(tx, scope, owner.id, MOST):
        fees = " and ".join(f"{money(one.amount, one.currency)} {one.currency}" for one in each.monthly)
        yield ToDoBody(
            kind="onboarding",
            weight=Weight.LOOK,
            subject=str(each.id),
            title=f"{each.asked_by} asks to bring {each.wanted.name} on board" + (f": {fees} a month" if fees else ""),
            detail=f"it waits for you: {each.waits_because}",
            since=each.asked_at,
        )


def _ending(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    """What ends soon: of the organisation's own, and of those that it sells to."""
    owners = [owner.id, *scope.tree.children(owner.id)]
    coming = endings_of(tx, owners, scope.now.date())[:MOST]
    words, rows = Words(tx, coming, load_published(tx)), organisations_by_id(tx, {each.organisation for each in coming})
    for each in coming:
        what, then = words.of(each, scope.tree.parents.get(each.organisation, each.organisation))
        of = rows[each.organisation]
        named = what if of.id == owner.id else f"{of.name}: {what}"
        yield ToDoBody(
            kind="ending",
            weight=Weight.NOTE,
            subject=path_of(each, of),
            title=named[0].upper() + named[1:],
            detail=then,
        )


def _changes(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for change in price_changes_of(tx, scope, [owner.id]):
        prices = counted(len(change.differences), "price")
        yield ToDoBody(
            kind="price change",
            weight=Weight.NOTE,
            subject=f"{change.seller}/{change.rate_card}",
            title=f"Prices of {change.name} change on {change.starts_on:%-d %B}",
            detail=f"{prices}; {counted(change.subscriptions, 'subscription')} of yours by that card",
        )


def _bought(tx: Session, scope: Scope, owner: OrganisationRow) -> Iterator[ToDoBody]:
    for row in store.new_invoices(tx, owner.id, scope.now.date() - NEW, 5):
        said = "Credit note" if row.kind == "credit_note" else "Invoice"
        due = f"due on {row.due_date:%-d %B}" if row.due_date and row.kind == "invoice" else "it is on your account"
        yield ToDoBody(
            kind="invoice",
            weight=Weight.NOTE,
            subject=str(row.id),
            title=f"{said} {row.number} over {money(row.gross, row.currency)} {row.currency}",
            detail=f"from {row.parties['seller']['name']}, for {_month(row.period)}; {due}",
        )


def _month(period: str) -> str:
    return f"{Period.parse(period).first_day:%B %Y}"
