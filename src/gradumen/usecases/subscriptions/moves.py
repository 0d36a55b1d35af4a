"""Moves: from a day on an organisation, with all below it, buys from another seller.

Who sells to both sides decides it. Everything is laid on the day when it is planned: the tree, the supply lines and
what is held of limits at the new seller; what is left to do on the day is done by a worker.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Forbidden, GradumenError, Invalid, NotFound
from gradumen.core.names import name_of
from gradumen.core.organisations.states import State
from gradumen.core.periods import zone_of
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.moves import MoveState, check_grids, move_start, nearest_common
from gradumen.store.organisations.tables import OrganisationRow, coming_sellers, load_tree, zone_names
from gradumen.store.pairs import raise_pairs_since
from gradumen.store.quotas.quotas import name_givers
from gradumen.store.revisions import TREE, revise
from gradumen.store.subscriptions import moves as store
from gradumen.store.subscriptions.subscriptions import subscriptions_by_id
from gradumen.store.subscriptions.tables import MoveRow, SubscriptionRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import acting_for, record
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.quotas.moved_quotas import hold_at
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.subscriptions.move_checks import charging_on_ended_links, going_on, hindrances
from gradumen.usecases.subscriptions.move_views import Looked, tell_move, view
from gradumen.usecases.subscriptions.moved_lines import Turn, end_with, follow, go_on_after
from gradumen.wire.subscriptions.moves import MoveBody, MoveCreate

DECIDES = Right.MANAGE_ORGANISATIONS


@dataclass(frozen=True, slots=True)
class _Sides:
    """Who moves, from whom to whom, and the nearest who sells to both."""

    mover: OrganisationRow
    old: OrganisationRow
    new: OrganisationRow
    common: OrganisationRow


@use_case
def plan_move(tx: Session, caller: Caller, *, organisation: str, wanted: MoveCreate) -> MoveBody:
    """Plan a move from a day on, or only see what it would do. Asking again for what is planned changes nothing.

    Raises:
        NotFound: one of the two is not in scope.
        Forbidden: the caller decides nothing for the one that sells to both.
        Invalid: the day is over, or the new seller sells nothing, or is below the one that would move.
        Conflict: it buys there already, another move of these is planned, or something stands against it:
            ``problems`` has each. NotActive: the new seller is not active.
    """
    sides = _sides(tx, load_scope(tx, caller), organisation, wanted.to)
    reason = name_of(" ".join(wanted.reason.split()), field="reason", most=1000)
    # Who changes the tree queues here; what they decided is seen only now.
    revise(tx, TREE)
    scope = load_scope(tx, caller)
    sides = _sides(tx, scope, organisation, wanted.to)
    turn_at = _start(tx, scope, sides, wanted.starts_on)
    planned = store.planned_move(tx, [sides.mover.id])
    if planned and (planned.to_id, planned.starts_on) == (sides.new.id, wanted.starts_on):
        return view(tx, scope, planned)
    _check_others(tx, scope, sides)
    scope.require_active(tx, sides.new)
    published = load_published(tx)
    with tx.begin_nested() as trial:
        row, looked = _carry_out(tx, scope, sides, wanted.starts_on, turn_at, reason, published)
        told = view(tx, scope, row, looked)
        if wanted.check or looked.hindrances:
            trial.rollback()
    if wanted.check:
        return told.model_copy(update={"id": None})
    if looked.hindrances:
        problems = [{"message": each} for each in looked.hindrances]
        raise Conflict(f"{sides.mover.name} cannot move yet: {looked.hindrances[0]}", problems=problems)
    _record(tx, scope, row, sides, "move planned")
    tell_move(tx, scope, row, sides.mover, sides.new)
    return told


def _sides(tx: Session, scope: Scope, organisation: str, to: str) -> _Sides:
    """Who is concerned, by what the caller sees.

    Raises:
        NotFound, Forbidden, Invalid, Conflict: see `plan_move`.
    """
    mover, new = get_organisation(tx, scope, organisation), get_organisation(tx, scope, to)
    old = scope.tree.parents.get(mover.id)
    if old is None:
        raise Conflict(f"{mover.name} buys from nobody, so it moves nowhere", field="organisation")
    common = nearest_common(scope.tree.chain(old), scope.tree.chain(new.id))
    if not isinstance(common, UUID) or not scope.may(DECIDES, common):
        decides = "the one that sells to both" if common not in scope.seen else tx.get_one(OrganisationRow, common).slug
        raise Forbidden(right=DECIDES, organisation=decides)
    if new.type == "tenant":
        raise Invalid(f"'{new.slug}' is a tenant and sells to nobody; choose a reseller", field="to", value=new.slug)
    if new.id in scope.tree.below([mover.id]):
        raise Invalid(f"{new.name} buys from {mover.name}, directly or further down", field="to", value=new.slug)
    if new.id == old:
        raise Conflict(f"{mover.name} buys from {new.name} already", field="to")
    if scope.tree.state(mover.id) is State.CLOSED:
        raise Conflict(f"{mover.name} is closed", field="organisation")
    return _Sides(mover, tx.get_one(OrganisationRow, old), new, tx.get_one(OrganisationRow, common))


def _start(tx: Session, scope: Scope, sides: _Sides, day: date) -> datetime:
    """The moment in which the day begins for the one that sells to both."""
    sellers = {*scope.tree.chain(sides.old.id), *scope.tree.chain(sides.new.id)}
    zones = {each: zone_of(name) for each, name in zone_names(tx, sellers, day).items()}
    check_grids(list(zones.values()))
    zone = zones[sides.common.id]
    return move_start(day, scope.now.astimezone(zone).date(), zone)


def _check_others(tx: Session, scope: Scope, sides: _Sides) -> None:
    """Check that nobody on either way, and nobody below, is to move as well: one after the other."""
    tree = scope.tree
    concerned = {*tree.chain(sides.mover.id), *tree.chain(sides.new.id), *tree.below([sides.mover.id])}
    moving = coming_sellers(tx, scope.now).keys() & concerned
    found = store.planned_move(tx, moving) if moving else None
    if found is None:
        return
    seen = found.organisation_id in scope.seen
    who = tx.get_one(OrganisationRow, found.organisation_id).name if seen else "somebody that sells to one of them"
    raise Conflict(
        f"{who} is to move on {found.starts_on}, which touches these links too; withdraw that first, or plan this one "
        "after that day",
        field="organisation",
    )


def _carry_out(
    tx: Session, scope: Scope, sides: _Sides, day: date, at: datetime, reason: str, published: Published
) -> tuple[MoveRow, Looked]:
    """Lay a move on its day; gives it with what stands against it."""
    mover, new = sides.mover, sides.new
    row = MoveRow(id=uuid4(), organisation_id=mover.id, from_id=sides.old.id, to_id=new.id, starts_on=day, starts_at=at)
    row.decided_for_id, row.state, row.reason, row.ended = sides.common.id, MoveState.PLANNED, reason, {}
    row.planned_by, row.planned_at = scope.caller.user_id, scope.now
    tx.add(row)
    store.add_edge(tx, mover.id, new.id, at)
    turn = Turn(day, at, load_tree(tx, at))
    limits, problems = hold_at(tx, scope, mover, new)
    against = [each.message for each in problems]
    below = scope.tree.below([mover.id])
    concerned = store.subscriptions_from(tx, below, day)
    staying, leaving = going_on(tx, concerned, mover, turn, published)
    row.ended = {str(each.id): each.ends_on.isoformat() if each.ends_on else None for each in leaving}
    for each in leaving:
        each.ends_on = max(day, each.starts_on)
    tx.flush()
    # With what was to end on that day anyway.
    ending = store.subscriptions_until(tx, below, day)
    for each in ending:
        end_with(tx, each, turn)
    against += hindrances(tx, scope, mover, new, staying, turn, published)
    for each in staying:
        try:
            follow(tx, each, turn, published)
        except GradumenError as problem:
            against.append(problem.message)
            break
    _raise(tx, scope, [*concerned, *ending], day)
    return row, Looked(tuple(dict.fromkeys(against)), tuple(limits))


def _raise(tx: Session, scope: Scope, subscriptions: Sequence[SubscriptionRow], day: date) -> None:
    """What is charged may change in all months since each began: terms of a year reach over the day."""
    first: dict[UUID, date] = {}
    for each in subscriptions:
        first[each.organisation_id] = min(first.get(each.organisation_id, each.starts_on), each.starts_on)
    raise_pairs_since(tx, first, max(day, scope.now.date()))


def _record(tx: Session, scope: Scope, row: MoveRow, sides: _Sides, action: str) -> None:
    """Write it down for all that it concerns; the old seller is not told where to, the new one not from where."""
    acting, day = acting_for(scope, sides.common.id, DECIDES), row.starts_on.isoformat()
    values = {"seller": sides.new.slug, "from": day, "reason": row.reason}
    record(tx, scope.caller, action, acting, sides.mover.slug, concerns=sides.mover.id, after=values)
    for side, field in ((sides.old, "until"), (sides.new, "from")):
        if side.id != acting:
            record(tx, scope.caller, action, acting, sides.mover.slug, concerns=side.id, after={field: day})


@use_case
def list_moves(tx: Session, caller: Caller, *, organisation: str) -> list[MoveBody]:
    """The moves of an organisation in scope, the latest first."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    return [view(tx, scope, row) for row in store.moves_of(tx, owner.id)]


@use_case
def withdraw_move(tx: Session, caller: Caller, *, organisation: str, move: UUID) -> MoveBody:
    """Take a planned move back, as if it had never been planned. Asking again changes nothing.

    Raises:
        NotFound: there is none, or the organisation is not in scope.
        Forbidden: the caller decides nothing for the one that sells to both.
        Conflict: its day has come, or somebody charges by hand over a link that goes with it.
    """
    load_scope(tx, caller)
    revise(tx, TREE)
    scope = load_scope(tx, caller)
    mover = get_organisation(tx, scope, organisation)
    row = store.lock_move(tx, move)
    if row is None or row.organisation_id != mover.id:
        raise NotFound("move", move)
    if not scope.may(DECIDES, row.decided_for_id):
        raise Forbidden(right=DECIDES, organisation="the one that sells to both")
    if row.state == MoveState.WITHDRAWN:
        return view(tx, scope, row)
    if row.state == MoveState.DONE or row.starts_at <= scope.now:
        raise Conflict(f"{mover.name} has moved on {row.starts_on}; plan another move instead")
    published = load_published(tx)
    below = scope.tree.below([mover.id])
    concerned = store.subscriptions_from(tx, below, row.starts_on)
    restored = subscriptions_by_id(tx, {UUID(each) for each in row.ended})
    ending = store.subscriptions_until(tx, below, row.starts_on)
    trees = (load_tree(tx, row.starts_at), scope.tree)
    charged = charging_on_ended_links(tx, mover, concerned, row.starts_on, trees)
    if charged:
        who = "you charge" if charged & scope.members_of() else "somebody who sells after the move charges"
        raise Conflict(f"{who} something by hand for {row.starts_on} or a later day; that is withdrawn first")
    # While the link to the new seller is there: what is charged on it goes.
    _raise(tx, scope, [*concerned, *restored.values(), *ending], row.starts_on)
    store.drop_edge(tx, mover.id, row.starts_at)
    turn = Turn(row.starts_on, row.starts_at, scope.tree, back=True)
    for each in concerned:
        follow(tx, each, turn, published)
    for each in restored.values():
        before = row.ended[str(each.id)]
        each.ends_on = date.fromisoformat(before) if before else None
    for each in ending:
        go_on_after(tx, each, turn, published)
    name_givers(tx, mover.id)
    row.state, row.ended_at = MoveState.WITHDRAWN, scope.now
    tx.flush()
    sides = _Sides(mover, *(tx.get_one(OrganisationRow, each) for each in (row.from_id, row.to_id, row.decided_for_id)))
    _record(tx, scope, row, sides, "move withdrawn")
    tell_move(tx, scope, row, mover, sides.new)
    return view(tx, scope, row)
