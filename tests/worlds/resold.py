"""What costs that a supplier states come to on a link, marked up, by plain fractions."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import timedelta
from fractions import Fraction

from tests.worlds.exchange import worth
from tests.worlds.spans import ZERO, Cell, Span, cell_of, day_start
from tests.worlds.used import Cost, Month, Use
from tests.worlds.worlds import Customer, Family, Link, among


def resold(family: Family, link: Link, covered: list[Span], month: Month) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """What costs are sold for by version and stretch; the fixed amount is on the first of a subscription, if any is."""
    costs: dict[Cell, Fraction] = defaultdict(Fraction)
    for customer in family.below(link):
        for cost in (*customer.costs, *customer.shared_costs):
            cell = taken_by(customer, cost, link, covered, month)
            priced = cell is not None and link.versions[cell[0]].markup is not None
            into = worth(link.seller, link.currency, cost.day_in(month)) if priced else None
            euros = worth("tarnwick", "EUR", cost.day, cost.currency)
            if cell is not None and into is not None and euros is not None and cost.amount:
                costs[cell] += Fraction(cost.amount, 100) * euros * into
    found: dict[Cell, Fraction] = {}
    begun: set[tuple[tuple[str, ...], bool]] = set()
    for number, place in sorted(costs, key=lambda cell: (cell[1], cell[0])):
        version, scope = link.versions[number], (covered[place].scope(""), covered[place].named)
        found[number, place] = costs[number, place] * (100 + (version.markup or 0)) / 100
        if scope not in begun:
            found[number, place] += version.fixed
        begun.add(scope)
    yield "resold", found


def taken_by(customer: Customer, cost: Cost, link: Link, covered: list[Span], month: Month) -> Cell | None:
    """The stretch of a cost's day: that of a move is the new seller's, whatever the clocks of any say."""
    if cost.month != month[0] or cost.category == "Tax":
        return None
    day, move = cost.day_in(month), customer.move
    moment = day_start(day, link.zone)
    if move and move.is_left(link, day):
        return None
    if move and (among(link, move.left) or among(link, move.later)):
        for turn, at in ((move.day, move.at), (move.back, move.back_at)):
            if turn and at:
                moment = max(moment, at) if day >= turn else min(moment, at - timedelta(hours=1))
    return cell_of(customer, Use(moment, ZERO, cost.project, cost.resource), link, covered, month)
