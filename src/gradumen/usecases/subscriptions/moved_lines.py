"""What becomes of supply lines where somebody moves: those of the old links end, those of the new ones follow them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from itertools import pairwise
from uuid import UUID, uuid4

from gradumen.core.catalogue.plans import Plan
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import Tree, coming_sellers, load_tree
from gradumen.store.subscriptions.moves import planned_move
from gradumen.store.subscriptions.subscriptions import all_lines_of
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published, plan_of
from gradumen.usecases.scope import Scope
from gradumen.usecases.subscriptions.supply_lines import (
    SAME,
    Held,
    as_sold,
    by_link,
    cards_by_rules,
    held_from,
    links_of,
)

AGREED = ("rate_card_id", "card_named", "special_terms")
"""What a line has of what two sides of a link agreed."""


@dataclass(frozen=True, slots=True)
class Turn:
    """A day from which other links hold, the moment in which it begins, and the tree then.

    ``back`` is the way back of a move that is withdrawn: all begins with its day again.
    """

    day: date
    at: datetime
    tree: Tree
    back: bool = False


def coming_turn(tx: Session, scope: Scope, organisation: UUID) -> Turn | None:
    """The move that is planned of an organisation, or of one that sells to it."""
    chain = scope.tree.chain(organisation)
    if not coming_sellers(tx, scope.now).keys() & set(chain):
        return None
    found = planned_move(tx, chain)
    return None if found is None else Turn(found.starts_on, found.starts_at, load_tree(tx, found.starts_at))


def follow(tx: Session, row: SubscriptionRow, turn: Turn, published: Published) -> None:
    """Let a subscription's lines follow a tree from a day on; links that stay, at whichever depth, are left alone.

    Raises:
        NotPriceable: a new seller has no card that prices its buyer.
    """
    lines = all_lines_of(tx, row.id)
    own = held_from([line for line in lines if line.depth == 0 and not line.void], turn.day)
    plan = plan_of(tx.get_one(PlanVersionRow, own[0].plan_version_id), published)
    links = links_of(turn.tree.chain(row.organisation_id), plan, published)
    wanted = [(max(line.starts_on, turn.day), {name: getattr(line, name) for name in SAME}) for line in own]
    of_link = by_link(lines)
    held = {link for link, here in of_link.items() if held_from([line for line in here if not line.void], turn.day)}
    for link in held - set(links):
        _cut(of_link[link], turn)
    for depth, link in enumerate(links):
        if link not in held:
            here = of_link.get(link, [])
            known = _agreed_on(here, turn.day)
            sold = as_sold(wanted, depth, plan, row.starts_on)
            _lay(tx, row, depth, link, turn, _with_terms(tx, row, link, plan, sold, known), here)
    tx.flush()


def _agreed_on(here: Sequence[SupplyLineRow], day: date) -> list[SupplyLineRow]:
    """A link's lines whose terms hold where it begins with a day: what was agreed before a move ended it is over.

    Where it was cut just there it goes on, with what was agreed since it began.
    """
    ends = [line.ends_on for line in here if line.ends_on is not None and not line.void]
    before = max((each for each in ends if each < day), default=None)
    if before is None:
        return list(here)
    return [line for line in here if line.starts_on >= before] if day in ends else []


def _cut(lines: Sequence[SupplyLineRow], turn: Turn) -> None:
    """End what is held on a link with a day; what begins then or later never holds."""
    _end(lines, turn)
    for line in lines:
        if line.starts_on >= turn.day:
            line.void = True


def _end(lines: Sequence[SupplyLineRow], turn: Turn) -> None:
    """The last line that begins before a day ends with it, though another follows it on that day."""
    for line in [line for line in lines if line.starts_on < turn.day and not line.void][-1:]:
        if line.ends_on is None or line.ends_on > turn.day:
            line.ends_on, line.closes_at = turn.day, turn.at


def end_with(tx: Session, row: SubscriptionRow, turn: Turn) -> None:
    """Let a subscription that ends with a day do so at its moment, on the links that hold no longer then."""
    links = set(pairwise(turn.tree.chain(row.organisation_id)))
    left = [line for line in all_lines_of(tx, row.id) if (line.buyer_id, line.seller_id) not in links]
    for here in by_link(left).values():
        _end(here, turn)
    tx.flush()


def go_on_after(tx: Session, row: SubscriptionRow, turn: Turn, published: Published) -> None:
    """Take back what `end_with` did, or what it was followed to before it was to end with that day."""
    if held_from([line for line in all_lines_of(tx, row.id) if line.depth == 0 and not line.void], turn.day):
        follow(tx, row, turn, published)
    for line in all_lines_of(tx, row.id):
        if (line.ends_on, line.closes_at) == (turn.day, turn.at):
            line.ends_on = line.closes_at = None
    tx.flush()


def _with_terms(
    tx: Session,
    row: SubscriptionRow,
    link: tuple[UUID, UUID],
    plan: Plan,
    wanted: Sequence[Held],
    known: Sequence[SupplyLineRow],
) -> list[Held]:
    """What a link's lines have, by day: by what was agreed on it, before that by its seller's card and that at renewal.

    Args:
        known: the link's lines, void or not; none where what was agreed is over.
    """
    agreed = [(line.starts_on, {name: getattr(line, name) for name in AGREED}) for line in known]
    if not agreed or agreed[0][0] > wanted[0][0]:
        rows = organisations_by_id(tx, set(link))
        buyer, seller = (rows[each] for each in link)
        cards = cards_by_rules(tx, seller, buyer, plan, row.starts_on)
        terms = [(day, {"rate_card_id": each.id, "card_named": False, "special_terms": {}}) for day, each in cards]
        agreed = [each for each in terms if not agreed or each[0] < agreed[0][0]] + agreed
    found: list[Held] = []
    for (day, same), until in zip(wanted, [*(day for day, _ in wanted[1:]), date.max], strict=True):
        _, held = [each for each in agreed if each[0] <= day][-1]
        found.append((day, same | held))
        found += [(later, same | then) for later, then in agreed if day < later < until]
    return found


def _lay(
    tx: Session,
    row: SubscriptionRow,
    depth: int,
    link: tuple[UUID, UUID],
    turn: Turn,
    wanted: Sequence[Held],
    here: Sequence[SupplyLineRow],
) -> None:
    """Put lines of a link at a depth, from a day on. Where it was cut just there before, it goes on."""
    buyer, seller = link
    cut = next((line for line in here if line.ends_on == turn.day), None)
    if cut is not None:
        cut.ends_on = cut.closes_at = None
    before = None if cut is None else {name: getattr(cut, name) for name in (*SAME, *AGREED)}
    for day, held in wanted:
        if before == (before := held):
            continue
        line = next((line for line in here if line.starts_on == day), None)
        if line is None:
            line = SupplyLineRow(id=uuid4(), subscription_id=row.id, depth=depth, starts_on=day)
            line.buyer_id, line.seller_id = buyer, seller
            tx.add(line)
        for name, value in before.items():
            setattr(line, name, value)
        line.void, line.ends_on, line.closes_at = False, None, None
        line.opens_at = turn.at if day == turn.day and cut is None and not turn.back else None
