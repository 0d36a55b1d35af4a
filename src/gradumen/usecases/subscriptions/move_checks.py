"""What stands against a move: what is not offered by the new seller, what was agreed or charged for later."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from itertools import pairwise
from uuid import UUID

from gradumen.core.errors import Conflict, GradumenError, NotPriceable
from gradumen.store.catalogue.tables import PlanRow, PlanVersionRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow, Tree
from gradumen.store.subscriptions.one_off_charges import charged_from
from gradumen.store.subscriptions.subscriptions import lines_of
from gradumen.store.subscriptions.tables import SubscriptionRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import check_right
from gradumen.usecases.catalogue.published import Published, plan_of
from gradumen.usecases.scope import Scope
from gradumen.usecases.subscriptions.moved_lines import Turn, coming_turn, follow

Wanted = tuple[str, str, str | None]
"""Plan, tier and project."""


def follow_move(
    tx: Session, scope: Scope, row: SubscriptionRow, buyer: OrganisationRow, day: date, published: Published
) -> None:
    """Let a subscription that is made, changed from a day on, or goes on, follow a move that is planned.

    Raises:
        Conflict: the day is after the move, when another seller decides, or that one does not offer it.
    """
    turn = coming_turn(tx, scope, buyer.id)
    if turn is None or (row.ends_on is not None and row.ends_on <= turn.day):
        return
    own = turn.tree.parents.get(buyer.id) != scope.tree.parents.get(buyer.id)
    if own and day >= turn.day:
        raise Conflict(
            f"{buyer.name} buys from another seller from {turn.day} on, which decides what holds from then on; choose "
            "a day before",
            field="starts_on",
            day=turn.day.isoformat(),
        )
    if own and not all(
        is_offered(tx, scope, turn, buyer, each, published) for each in _wanted(tx, buyer, [row], turn, published)
    ):
        raise Conflict(
            f"{buyer.name} buys from another seller from {turn.day} on, which does not offer it this tier; let it end "
            "by that day",
            field="ends_on",
            day=turn.day.isoformat(),
        )
    try:
        follow(tx, row, turn, published)
    except NotPriceable as problem:
        raise Conflict(
            f"from {turn.day} on another seller sells on this chain, which has no price for it; let it end by that day",
            field="ends_on",
            day=turn.day.isoformat(),
        ) from problem


def going_on(
    tx: Session, rows: Sequence[SubscriptionRow], mover: OrganisationRow, turn: Turn, published: Published
) -> tuple[list[SubscriptionRow], list[SubscriptionRow]]:
    """Of the subscriptions of who moves and all below it those that go on, and those that end with the move.

    The latter are to plans of a seller that it leaves.
    """
    staying: list[SubscriptionRow] = []
    leaving: list[SubscriptionRow] = []
    for row in rows:
        chain = turn.tree.chain(row.organisation_id)
        own = row.organisation_id == mover.id
        ends = own and published.owners["plan", _plan(tx, row)] not in chain
        (leaving if ends else staying).append(row)
    return staying, leaving


def _plan(tx: Session, row: SubscriptionRow) -> str:
    return tx.get_one(PlanRow, row.plan_id).slug


def hindrances(
    tx: Session,
    scope: Scope,
    mover: OrganisationRow,
    new: OrganisationRow,
    rows: Sequence[SubscriptionRow],
    turn: Turn,
    published: Published,
) -> list[str]:
    """What stands against it, in words."""
    # Plans of those further down are not named to whoever is above them.
    known = {above for member in scope.members_of() for above in scope.tree.chain(member)}
    found: list[str] = []
    for plan, tier, project in sorted(_wanted(tx, mover, rows, turn, published), key=str):
        if not is_offered(tx, scope, turn, mover, (plan, tier, project), published):
            named = f"{published.plans[plan].name} ({tier})"
            what = named if published.owners["plan", plan] in known else "all that is sold below it"
            found.append(f"{new.name} does not offer {what} to {mover.name}")
    if _foreign_services(tx, rows, turn, published):
        found.append("something that is sold below it has a service of a seller that it leaves")
    charged = charging_on_ended_links(tx, mover, rows, turn.day, (scope.tree, turn.tree))
    if charged and charged & scope.members_of():
        found.append(f"you charge something by hand for {turn.day} or a later day; withdraw that first")
    elif charged:
        found.append("somebody who sells to it now charges something by hand for a later day")
    return found


def charging_on_ended_links(
    tx: Session, mover: OrganisationRow, rows: Sequence[SubscriptionRow], day: date, trees: tuple[Tree, Tree]
) -> set[UUID]:
    """Who charges something by hand, for a day or later, over a link that another tree does not have.

    Who sells to both sides is among them: over another link that would be another buyer's, in another currency.
    """
    before, after = (set(pairwise(tree.chain(mover.id))) for tree in trees)
    return charged_from(tx, [row.id for row in rows], {seller for _, seller in before - after}, day)


def is_offered(
    tx: Session, scope: Scope, turn: Turn, buyer: OrganisationRow, wanted: Wanted, published: Published
) -> bool:
    """Whether a buyer may have a tier of its seller to come."""
    plan, tier, project = wanted
    if tier not in {each.slug for each in published.plans[plan].tiers}:
        # What is withdrawn from sale stays with who has it.
        return True
    then = replace(scope, tree=turn.tree, seen=frozenset(turn.tree.chain(buyer.id)))
    try:
        check_right(tx, then, buyer, plan, tier, project, published)
    except GradumenError:
        return False
    return True


def _wanted(
    tx: Session, mover: OrganisationRow, rows: Sequence[SubscriptionRow], turn: Turn, published: Published
) -> set[Wanted]:
    """The plans and tiers that who moves has from a day on, for itself and to sell."""
    found: set[Wanted] = set()
    for row in rows:
        lines = [line for line in lines_of(tx, row.id) if mover.id in (line.buyer_id, line.seller_id)]
        bought = [line for line in lines if line.buyer_id == mover.id]
        before = [line for line in bought if line.starts_on <= turn.day][-1:]
        unit = tx.get(ProjectRow, row.project_id) if row.project_id and row.organisation_id == mover.id else None
        for line in (*before, *(line for line in bought if line.starts_on > turn.day)):
            plan = plan_of(tx.get_one(PlanVersionRow, line.plan_version_id), published)
            found.add((plan.slug, line.tier, unit.slug if unit else None))
    return found


def _foreign_services(tx: Session, rows: Sequence[SubscriptionRow], turn: Turn, published: Published) -> bool:
    """Whether any has a service of a seller that is left."""
    return any(
        published.owners["service", service] not in turn.tree.chain(row.organisation_id)
        for row in rows
        for service in published.plans[_plan(tx, row)].services
    )
