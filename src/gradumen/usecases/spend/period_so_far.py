"""The lines of a period, billed or not: what a draft would have, today."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from functools import partial
from uuid import UUID

from gradumen.core.errors import Forbidden
from gradumen.core.exact import add, line_amount
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.core.rating.charges import Charge
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, trees_between, zone_name
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.rating.current_charges import days_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.charges import Line, LineNames, line_order
from gradumen.usecases.rating.links import RatedPeriod
from gradumen.usecases.rating.stored_charges import current_of, read_rated, settled
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.usage import AsOf
from gradumen.wire.spend.period_so_far import PairProblemBody

WIDEST = timedelta(hours=14)
"""How far a zone's clocks are from those of UTC at most."""


@dataclass(frozen=True, slots=True)
class LinkPeriod:
    """One link's period: who sells to whom, its lines, and the exact amounts of its days."""

    seller: str
    seller_name: str
    buyer: str
    buyer_name: str
    currency: str
    period: str
    start: datetime
    end: datetime
    net: Decimal
    estimated: Decimal
    lines: list[Line]
    days: list[tuple[date, Decimal]]
    not_priced: list[dict[str, str]]


@use_case
def period_so_far(
    tx: Session, caller: Caller, *, organisation: str, period: str | None
) -> tuple[list[LinkPeriod], list[PairProblemBody], AsOf]:
    """What an organisation and all below it are charged in a period, per link that the caller may see, and how current.

    The links where the organisation is the buyer come first, then those where it sells.

    Raises:
        Forbidden: the caller sees the organisation but no link's money above or below it.
    """
    scope, usage = load_scope(tx, caller), usage_as_of(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    if not scope.members_money().intersection(scope.tree.chain(owner.id)):
        raise Forbidden(right=Right.READ_MONEY, organisation=owner.slug, name=owner.name)
    pairs, below = _visible_pairs(tx, scope, owner.id, period)
    rows = [row for same in pairs.values() for row in same]
    known = organisations_by_id(tx, {each for row in rows for each in (row.seller_id, row.buyer_id)})
    published = load_published(tx)

    def read(seller: UUID, month: Period, concerned: list[PairRow], buyer: UUID | None) -> list[LinkPeriod]:
        rated = read_rated(tx, seller, month, concerned, published, buyer=buyer)
        return link_periods(tx, rated, concerned, known, published, below)

    found: list[LinkPeriod] = []
    for (seller, month), same in pairs.items():
        # What a seller's own services cost is spread over all buyers; of that, its own use is shown.
        sold, own = ([row for row in same if (row.buyer_id == seller) is itself] for itself in (False, True))
        chosen: tuple[tuple[list[PairRow], UUID | None], ...] = ((sold, None), (own, seller))
        for concerned, of_buyer in chosen:
            if concerned:
                shown = {known[row.buyer_id].slug for row in concerned}
                links = settled(tx, concerned, partial(read, seller, month, concerned, of_buyer))
                found += [link for link in links if link.buyer in shown]
    found.sort(key=lambda each: (each.buyer != owner.slug, each.seller == owner.slug, each.seller, each.buyer))
    mine = scope.members_money()
    problems = [
        PairProblemBody(
            seller=known[row.seller_id].slug, buyer=known[row.buyer_id].slug, period=row.period, problem=row.problem
        )
        for row in rows
        if row.problem is not None and row.seller_id in mine
    ]
    return found, problems, current_of(tx, usage, rows)


def _visible_pairs(
    tx: Session, scope: Scope, owner: UUID, period: str | None
) -> tuple[dict[tuple[UUID, Period], list[PairRow]], frozenset[UUID]]:
    """The pairs through which an organisation and all that were below it may be charged, that the caller sees.

    Their own use is among them. Gives those organisations, too. Whole links are read, as their bills are: what counts
    over a buyer counts all of it.
    """
    own = scope.members_money()
    month = Period.parse(period) if period else Period.containing(scope.now, zone_of("UTC"))
    start, end = month.bounds(zone_of("UTC"))
    trees = [tree for _, tree in trees_between(tx, start - WIDEST, max(start, min(end + WIDEST, scope.now)))]
    below = frozenset[UUID]().union(*(tree.below([owner]) for tree in trees))
    concerned = below.union(*(tree.chain(owner) for tree in trees))
    sellers = own | {tree.parents[each] for tree in trees for each in own if each in tree.parents}
    found: dict[tuple[UUID, Period], list[PairRow]] = {}
    for seller in sorted(sellers):
        zone = zone_of(zone_name(tx, seller, scope.now.date()))
        here = month if period else Period.containing(scope.now, zone)
        buyers = None if seller in own else own
        found[seller, here] = [
            row
            for row in pairs_with(tx, seller, buyers, here.text)
            if row.buyer_id in (below if row.buyer_id == seller else concerned)
        ]
    return found, below


def link_periods(
    tx: Session,
    rated: RatedPeriod,
    pairs: list[PairRow],
    known: dict[UUID, OrganisationRow],
    published: Published,
    owners: frozenset[UUID],
) -> list[LinkPeriod]:
    """The lines and days of each buyer and currency in a rated period of pairs, of the subscriptions of ``owners``.

    Where there is only usage that is not priced, the link is listed all the same, in the buyer's currency.
    """
    names = LineNames(tx, rated, published)
    found: dict[tuple[UUID, str], list[Charge]] = defaultdict(list)
    for charge in rated.rated.charges:
        loaded = rated.lines[charge.line]
        if loaded.subscription.organisation_id in owners:
            found[loaded.row.buyer_id, loaded.currency].append(charge)
    not_priced = names.not_priced(owners)
    for buyer in not_priced:
        if not any(key[0] == buyer for key in found):
            found[buyer, known[buyer].currency] = []
    days = _days(tx, rated, pairs, owners)
    links: list[LinkPeriod] = []
    for (buyer, currency), charges in found.items():
        lines = [line for charge in charges for line in names.lines(charge)]
        links.append(
            LinkPeriod(
                seller=known[rated.seller].slug,
                seller_name=known[rated.seller].name,
                buyer=known[buyer].slug,
                buyer_name=known[buyer].name,
                currency=currency,
                period=rated.period.text,
                start=rated.start,
                end=rated.end,
                net=line_amount([line.amount for line in lines], currency),
                estimated=line_amount([charge.estimated for charge in charges], currency),
                lines=sorted(lines, key=line_order),
                days=[(day, add(amounts)) for day, amounts in days[buyer, currency].items()],
                not_priced=not_priced.pop(buyer, []),
            )
        )
    return links


def _days(
    tx: Session, rated: RatedPeriod, pairs: list[PairRow], owners: frozenset[UUID]
) -> dict[tuple[UUID, str], dict[date, list[Decimal]]]:
    """The amounts of each day, in order, by buyer and currency; summed in the database, as there may be many parts."""
    buyers = {row.id: row.buyer_id for row in pairs}
    lines = {line.row.id for line in rated.lines.values() if line.subscription.organisation_id in owners}
    currencies = {id: line.currency for line in rated.lines.values() for id in line.version_ids.values()}
    found: dict[tuple[UUID, str], dict[date, list[Decimal]]] = defaultdict(lambda: defaultdict(list))
    for row in days_of(tx, pairs, lines):
        key = buyers[row.pair_id], currencies[row.rate_card_version_id]
        found[key][row.day].append(row.amount)
    return found
