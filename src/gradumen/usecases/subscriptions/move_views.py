"""Moves as their viewers see them, in sentences, and who is told of one."""

from dataclasses import dataclass, field
from datetime import timedelta
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.messages import Kind, day_words
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.moves import MoveState
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.subscriptions import own_lines, visible_subscriptions
from gradumen.store.subscriptions.tables import MoveRow, SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, load_published, plan_of
from gradumen.usecases.messages import people_with, tell
from gradumen.usecases.scope import Scope
from gradumen.usecases.subscriptions.orders import monthly_of
from gradumen.wire.quotas.quotas import HeldBody
from gradumen.wire.subscriptions.moves import MoveBody, MovedSubscriptionBody


@dataclass(frozen=True, slots=True)
class Looked:
    """What was found while a move was laid on its day: what stands against it, and the limits that it takes along."""

    hindrances: tuple[str, ...] = ()
    limits: tuple[HeldBody, ...] = field(default=())


def view(tx: Session, scope: Scope, row: MoveRow, looked: Looked | None = None) -> MoveBody:
    """A move as the caller sees it: sellers that it does not see are not named, nor what they have left."""
    known = organisations_by_id(tx, {row.organisation_id, row.from_id, row.to_id})
    mover, old, new = (known[each] for each in (row.organisation_id, row.from_id, row.to_id))
    member = scope.is_member(mover.id)
    decides = scope.may(Right.MANAGE_ORGANISATIONS, row.decided_for_id)
    seen = {each.id for each in (old, new) if member or each.id in scope.seen}
    planned = row.state == MoveState.PLANNED
    moved = _subscriptions(tx, scope, row, mover) if planned else []
    return MoveBody(
        id=row.id,
        organisation=mover.slug,
        organisation_name=mover.name,
        from_seller=old.slug if old.id in seen else None,
        from_name=old.name if old.id in seen else None,
        to_seller=new.slug if new.id in seen else None,
        to_name=new.name if new.id in seen else None,
        starts_on=row.starts_on,
        starts_at=row.starts_at,
        state=MoveState(row.state),
        reason=row.reason if member or decides else None,
        planned_at=row.planned_at,
        may_withdraw=planned and decides and row.starts_at > scope.now,
        sentences=_sentences(tx, scope, row, mover, _named(old, seen), _named(new, seen)) if planned else [],
        hindrances=list(looked.hindrances) if looked else [],
        subscriptions=moved,
        limits=list(looked.limits) if looked else [],
    )


def _named(row: OrganisationRow, seen: set[UUID]) -> str:
    return row.name if row.id in seen else "another seller"


def _sentences(tx: Session, scope: Scope, row: MoveRow, mover: OrganisationRow, old: str, new: str) -> list[str]:
    """What a move that is planned does, for those who are concerned."""
    day, last = day_words(row.starts_on), day_words(row.starts_on - timedelta(days=1))
    below = scope.tree.below([mover.id])
    projects = len(projects_of(tx, below))
    with_it = [f"{len(below) - 1} organisation{_s(len(below) - 1)} below it"] if len(below) > 1 else []
    with_it.append(f"{projects} project{_s(projects)}")
    return [
        f"{mover.name} buys from {new} from {day} on; until {last} it buys from {old}.",
        f"It takes along {' and '.join(with_it)}, its people and all that it is granted.",
        f"{old[0].upper() + old[1:]} bills it up to {last}, and what comes late for the time before; what is charged "
        f"in advance for later comes back. {new[0].upper() + new[1:]} bills it from {day} on.",
        "What counts over a month, like blocks and allowances, begins anew with the move; a set-up fee is not charged "
        "again.",
        f"What it and {old} agreed between them alone (cards, allowances, levels) ends with {last}.",
        f"Orders and requests that {old} has not answered by then are withdrawn; accounts in its clouds stay there.",
    ]


def _s(count: int) -> str:
    return "" if count == 1 else "s"


def _subscriptions(tx: Session, scope: Scope, row: MoveRow, mover: OrganisationRow) -> list[MovedSubscriptionBody]:
    """What becomes of its own subscriptions, of those that the caller sees; those below it keep theirs."""
    published = load_published(tx)
    shown = {above for member in scope.members_of() for above in scope.tree.chain(member)}
    rows = visible_subscriptions(tx, [mover.id], scope.members_of())
    lines = own_lines(tx, [each.id for each in rows])
    sellers = {line.seller_id for line, _ in lines if scope.sees_link(line.seller_id, line.buyer_id)}
    offers = Offers(tx, sellers, published)
    found: list[MovedSubscriptionBody] = []
    for each in sorted(rows, key=lambda each: each.name):
        ends = str(each.id) in row.ended
        held = [line for line, _ in lines if line.subscription_id == each.id and line.starts_on <= row.starts_on]
        over = each.ends_on is not None and each.ends_on <= row.starts_on
        if not held or (over and not ends):
            continue
        found.append(
            _moved(tx, row, mover, each, held[-1], ends, published, offers, held[-1].seller_id in sellers, shown)
        )
    return found


def _moved(
    tx: Session,
    row: MoveRow,
    mover: OrganisationRow,
    subscription: SubscriptionRow,
    line: SupplyLineRow,
    ends: bool,
    published: Published,
    offers: Offers,
    sees: bool,
    shown: set[UUID],
) -> MovedSubscriptionBody:
    plan = plan_of(tx.get_one(PlanVersionRow, line.plan_version_id), published)
    offered = offers.of.get((line.seller_id, plan.slug)) if sees else None
    plan = renamed(plan, offered.offer) if offered else plan
    named = sees or published.owners["plan", plan.slug] in shown
    tier = next((each.name for each in plan.tiers if each.slug == line.tier), line.tier)
    amount, currency = monthly_of(tx, subscription, row.starts_on, published) if sees and not ends else (None, None)
    return MovedSubscriptionBody(
        organisation=mover.slug,
        organisation_name=mover.name,
        subscription=subscription.name,
        plan=plan.name if named else None,
        tier=tier if named else None,
        monthly=amount,
        currency=currency,
        ends=ends,
    )


def tell_move(tx: Session, scope: Scope, row: MoveRow, mover: OrganisationRow, new: OrganisationRow) -> None:
    """Tell the administrators of who moves and of both sellers; the old one is not told where to."""
    day, last = day_words(row.starts_on), day_words(row.starts_on - timedelta(days=1))
    back = row.state == MoveState.WITHDRAWN
    words = {
        mover.id: f"{mover.name} buys from {new.name} from {day} on",
        row.from_id: f"{mover.name} buys from you until {last}",
        row.to_id: f"{mover.name} buys from you from {day} on",
    }
    then = {
        mover.id: "Its page says what goes on, what ends and what it costs then.",
        row.from_id: "You bill it up to that day, and what comes late for the time before.",
        row.to_id: "What it is granted is held at your limits until then.",
    }
    for side, what in words.items():
        for reader in people_with(tx, scope, side, Right.MANAGE_MEMBERS):
            tell(
                tx,
                Kind.MOVE,
                reader,
                {
                    "customer": mover.name,
                    "what": f"not any more: {what}" if back else what,
                    "then": "It stays as it was." if back else then[side],
                },
                at=scope.caller.at,
                organisation=side,
                # Everybody knows its own seller by name, and nobody above that one.
                sender=scope.tree.parents.get(side, side),
                path=f"/organisations/{mover.slug}/details" if side != row.to_id else "/organisations",
            )
