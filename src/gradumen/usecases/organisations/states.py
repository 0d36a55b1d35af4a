"""The states of organisations: what holds, what is planned, and changes by those who sell to them."""

from dataclasses import asdict
from datetime import date, datetime, timedelta
from uuid import UUID

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.names import name_of
from gradumen.core.organisations.states import FOLLOWS, MEANING, State, check_follows
from gradumen.core.periods import day_start, zone_of
from gradumen.core.permissions import Right
from gradumen.store.billing.drafts import months_to_bill
from gradumen.store.metering.usage import last_used
from gradumen.store.organisations import states as store
from gradumen.store.organisations.clouds import accounts_of
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.organisations.tables import OrganisationRow, StateRow, local_day, zone_name
from gradumen.store.quotas.quotas import release_quotas
from gradumen.store.subscriptions.subscriptions import count_running
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.cloud_limits import want_limits_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.organisations.states import MeaningBody, NextStateBody, StateBody, StatesBody

AHEAD = timedelta(days=10 * 366)
"""How far ahead a state is planned at most."""


@use_case
def list_states(tx: Session, caller: Caller, *, organisation: str) -> StatesBody:
    """The state of an organisation in scope, those before, and those that may follow."""
    scope = load_scope(tx, caller)
    return _view(tx, scope, get_organisation(tx, scope, organisation))


@use_case
def change_state(
    tx: Session, caller: Caller, *, organisation: str, state: str, starts_on: date | None, reason: str | None
) -> StatesBody:
    """Bring an organisation into another state, now or from a day on; what was planned from then on is forgotten.

    Asking again for what holds already changes nothing.

    Raises:
        Forbidden: this is its seller's to say.
        Invalid: a day that is over, or too far ahead.
        Conflict: that state does not follow, or something stands against closing it.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    seller = _deciding(tx, scope, row)
    lock_organisation(tx, row.id)
    # What was made for it meanwhile stands against closing it.
    scope = load_scope(tx, caller)
    starts_at = _start(tx, scope, seller, starts_on)
    held = store.states_of(tx, row.id)
    before, after = _own(held, starts_at), State(state)
    if before is after and not any(each.starts_at > starts_at for each in held):
        return _view(tx, scope, row)
    why = name_of(reason, field="reason", most=300) if reason else None
    if before is not after:
        check_follows(before, after, row.name)
        if after in (State.SUSPENDED, State.CLOSING) and why is None:
            raise Invalid(f"say why {row.name} is to be {after}: the reason is kept, and its own people read it",
                          field="reason")  # fmt: skip
        if after is State.CLOSED:
            _check_closable(tx, scope, row, starts_at)
    store.add_state(tx, row.id, starts_at, after, why, scope.now)
    if after is State.CLOSED:
        release_quotas(tx, row.id, scope.now)
        # Nothing is started in its accounts any more, which nobody would pay for.
        want_limits_of(tx, row, seller, at=caller.at, asked_by=caller.user_id if scope.is_member(seller) else None)
    acting = acting_for(scope, seller, Right.MANAGE_ORGANISATIONS)
    values = {"state": after, "from": starts_at.isoformat(), "reason": why}
    record(tx, caller, "state set", acting, row.slug, concerns=row.id, before={"state": before}, after=values)
    return _view(tx, load_scope(tx, caller), row)


def propose(tx: Session, scope: Scope, seller: UUID, organisation: UUID, starts_on: date) -> None:
    """Let a new organisation be proposed until a day, and active from then on.

    Raises:
        Invalid: that day is over, or too far ahead.
    """
    starts_at = _start(tx, scope, seller, starts_on)
    store.add_state(tx, organisation, scope.now, State.PROPOSED, None, scope.now)
    store.add_state(tx, organisation, starts_at, State.ACTIVE, None, scope.now)


@use_case
def withdraw_planned(tx: Session, caller: Caller, *, organisation: str) -> StatesBody:
    """Forget what is planned for an organisation; what holds stays. Asking again changes nothing.

    Raises:
        Forbidden: this is its seller's to say.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    seller = _deciding(tx, scope, row)
    lock_organisation(tx, row.id)
    planned = [each for each in store.states_of(tx, row.id) if each.starts_at > scope.now]
    if planned:
        store.drop_states(tx, row.id, planned[0].starts_at)
        acting = acting_for(scope, seller, Right.MANAGE_ORGANISATIONS)
        before = {"state": planned[0].state, "from": planned[0].starts_at.isoformat()}
        record(tx, caller, "planned state withdrawn", acting, row.slug, concerns=row.id, before=before)
    return _view(tx, load_scope(tx, caller), row)


def _deciding(tx: Session, scope: Scope, row: OrganisationRow) -> UUID:
    """The seller of an organisation, for whom the caller decides."""
    seller = scope.tree.parents.get(row.id)
    if seller is None or not scope.may(Right.MANAGE_ORGANISATIONS, seller):
        raise scope.refused_by_seller(tx, Right.MANAGE_ORGANISATIONS, row)
    return seller


def _start(tx: Session, scope: Scope, seller: UUID, starts_on: date | None) -> datetime:
    if starts_on is None:
        return scope.now
    today = local_day(tx, seller, scope.now)
    if not today < starts_on <= today + AHEAD:
        raise Invalid(
            f"a planned state starts after today, {today}, and at most ten years ahead; leave the day out for now",
            field="starts_on",
            value=starts_on,
        )
    return day_start(starts_on, zone_of(zone_name(tx, seller, starts_on)))


def _own(held: list[StateRow], at: datetime) -> State:
    """An organisation's own state at a moment."""
    return next((State(each.state) for each in reversed(held) if each.starts_at <= at), State.ACTIVE)


def _check_closable(tx: Session, scope: Scope, row: OrganisationRow, starts_at: datetime) -> None:
    if starts_at > scope.now:
        raise Invalid(
            "closing ends by hand: whether anything is left to bill is known on the day; leave the day out",
            field="starts_on",
            value=starts_at.date(),
        )
    against = _hindrances(tx, scope, row, State.CLOSED)
    if against:
        raise Conflict(f"{row.name} cannot be closed yet: {'; '.join(against)}", field="state", value=State.CLOSED)


def _hindrances(tx: Session, scope: Scope, row: OrganisationRow, after: State) -> list[str]:
    """What stands against a state, in words."""
    if after is not State.CLOSED:
        return []
    found = []
    children = [each for each in scope.tree.children(row.id) if scope.tree.own_states.get(each) is not State.CLOSED]
    if children:
        found.append(f"it sells to {len(children)} that {_are(len(children))} not closed")
    running = count_running(tx, {row.id}, scope.now.date())
    if running:
        found.append(f"{running} subscription{_s(running)} of it {_are(running)} not over")
    last = last_used(tx, row.id, since=scope.now.date() - timedelta(days=1)) if accounts_of(tx, row.id) else None
    if last is not None:
        found.append(f"its accounts in clouds are not empty: something in them was measured on {last}")
    seller = scope.tree.parents[row.id]
    unbilled = months_to_bill(tx, row.id)
    months = unbilled.pop(seller, 0)
    if months and scope.is_member(seller):
        found.append(f"{months} month{_s(months)} of it {_are(months)} not billed")
    elif months:
        found.append("its seller has not billed all of it")
    if unbilled:
        found.append("who sold to it before has not billed all of it")
    return found


def _s(count: int) -> str:
    return "" if count == 1 else "s"


def _are(count: int) -> str:
    return "is" if count == 1 else "are"


def _view(tx: Session, scope: Scope, row: OrganisationRow) -> StatesBody:
    held = store.states_of(tx, row.id)
    own, state = _own(held, scope.now), scope.tree.state(row.id)
    seller = scope.tree.parents.get(row.id)
    decides = seller is not None and scope.may(Right.MANAGE_ORGANISATIONS, seller)
    below = scope.tree.below([row.id])
    told = scope.is_member(row.id) or (seller is not None and scope.is_member(seller))
    return StatesBody(
        organisation=row.slug,
        organisation_name=row.name,
        state=state,
        own=own,
        meaning=_meaning(state),
        below=len(below) - 1,
        subscriptions=count_running(tx, below, scope.now.date(), scope.members_of()),
        history=[
            StateBody(
                state=each.state,
                starts_at=each.starts_at,
                reason=each.reason if told else None,
                planned=each.starts_at > scope.now,
            )
            for each in held
        ],
        next=[
            NextStateBody(state=each, meaning=_meaning(each), hindrances=_hindrances(tx, scope, row, each))
            for each in (FOLLOWS[own] if decides else ())
        ],
    )


def _meaning(state: State) -> MeaningBody:
    return MeaningBody(**asdict(MEANING[state]))
