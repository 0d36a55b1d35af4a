"""Rating of a seller's period from what the database holds: usage, supply lines and rate card versions."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from decimal import Decimal
from uuid import UUID
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.catalogue.allowances import base_allowances
from gradumen.core.catalogue.offers import renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.periods import Period, day_start, zone_of
from gradumen.core.rating.charges import Rated
from gradumen.core.rating.rated_periods import rate_period
from gradumen.core.rating.rating import Pricing, RatedLine
from gradumen.core.subscriptions.one_off_charges import OneOffCharge
from gradumen.store.catalogue.published import plan_versions_by_id
from gradumen.store.metering.exchange_rates import rates_by_currencies
from gradumen.store.metering.usage import attribute_sets
from gradumen.store.organisations.tables import ProjectRow, Tree, trees_between, zone_name
from gradumen.store.subscriptions.moves import moving_days
from gradumen.store.subscriptions.sales import lines_in
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, load_cards, load_published, plan_of
from gradumen.usecases.rating.assigned_spells import load_pieces, spells_of
from gradumen.usecases.rating.assigned_usage import load_usage
from gradumen.usecases.rating.composed_usage import Parties, Together, kept_apart, less_together
from gradumen.usecases.rating.promised_usage import Promised, Sale, load_promised
from gradumen.usecases.rating.unassigned_usage import Through, Unassigned
from gradumen.usecases.rating.usage_frames import Resources, hours_apart
from gradumen.usecases.subscriptions.one_off_charges import load_one_off_charges
from gradumen.usecases.subscriptions.supply_lines import with_special_terms

ALWAYS = date(2000, 1, 1)
"""Before every period."""


@dataclass(frozen=True, slots=True)
class LoadedLine:
    """A supply line with what its charges are shown with."""

    row: SupplyLineRow
    subscription: SubscriptionRow
    plan: Plan
    currency: str
    version_ids: dict[int, UUID]
    services: tuple[str, ...]
    """Those of the plan that the seller of this link sells."""


@dataclass(frozen=True, slots=True)
class SaleNames:
    """What the seller calls what it sells: plans by slug, one-off charges by theirs."""

    plans: dict[str, Plan]
    one_off_charges: dict[str, str]


@dataclass(slots=True)
class RatedPeriod:
    """A seller's rated period: charges by number of line, and what the numbers in them mean."""

    seller: UUID
    period: Period
    zone: ZoneInfo
    start: datetime
    end: datetime
    rated: Rated
    lines: dict[int, LoadedLine]
    projects: list[ProjectRow]
    resources: Resources
    unassigned: list[Unassigned]
    names: SaleNames
    together: list[Together] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class LoadedLinks:
    """What rating a seller's period takes, read once."""

    seller: UUID
    period: Period
    zone: ZoneInfo
    lines: dict[int, LoadedLine]
    rated_lines: dict[int, RatedLine]
    usage: pl.DataFrame
    pieces: pl.DataFrame
    """Of spells: which lines take them follows from the usage that is charged by itself."""
    costs: pl.DataFrame
    sale: Sale
    promised: Promised
    projects: list[ProjectRow]
    resources: Resources
    unassigned: list[Unassigned]
    composites: Mapping[int, int]
    loose: pl.DataFrame
    users: Mapping[UUID, Sequence[Through]]
    attribute_sets: dict[int, dict[str, str]]
    published: Published
    entered: tuple[OneOffCharge, ...]
    names: SaleNames
    exchange: Mapping[tuple[str, str], Sequence[tuple[date, Decimal]]]
    """What currencies are worth in others to the seller, from days on."""

    def with_cards(self, tx: Session, instead: Mapping[UUID, RateCardVersion]) -> "LoadedLinks":
        """The same where other versions price the whole period, by rate card; what is promised goes by these too.

        It was loaded for these ``also``.
        """
        lines = {
            number: replace(line, versions=_instead(self.lines[number].row.rate_card_id, line.versions, instead))
            for number, line in self.rated_lines.items()
        }
        promised = load_promised(tx, replace(self.sale, rated=lines), self.published)
        return replace(self, rated_lines=lines, promised=promised, attribute_sets=attribute_sets(tx))

    def rate(self) -> RatedPeriod:
        """Rate it."""
        start, end = self.period.bounds(self.zone)
        meters = {number: slug for slug, number in self.published.numbered.items()}
        samplings = {slug: meter.sampling for slug, meter in self.published.meters.items()}
        pricing = Pricing(
            self.rated_lines, meters, self.attribute_sets, self.period, self.zone, samplings, self.exchange
        )
        parties = Parties(self.projects, {each: line.row.buyer_id for each, line in self.lines.items()}, self.users)
        usage, together = kept_apart(self.usage, self.loose, self.pieces, self.composites, parties, pricing)
        spells = spells_of(usage, self.pieces, self.zone)
        usage = pl.concat([usage, self.promised.usage]) if self.promised.usage.height else usage
        rated = rate_period(usage, pricing, spells, self.entered, self.costs)
        rated = replace(rated, unpriced=(*rated.unpriced, *self.promised.no_limit))
        return RatedPeriod(
            seller=self.seller,
            period=self.period,
            zone=self.zone,
            start=start,
            end=end,
            rated=rated,
            lines=self.lines,
            projects=self.projects,
            resources=self.resources,
            unassigned=less_together(self.unassigned, together),
            names=self.names,
            together=together,
        )


def _instead(
    card: UUID, versions: tuple[RateCardVersion, ...], instead: Mapping[UUID, RateCardVersion]
) -> tuple[RateCardVersion, ...]:
    if card not in instead:
        return versions
    return (replace(instead[card], card=str(card), starts_on=ALWAYS),)


def load_links(
    tx: Session,
    seller: UUID,
    period: Period,
    *,
    buyers: Iterable[UUID] | None = None,
    with_usage: bool = True,
    named: bool = True,
    also: Collection[RateCardVersion] = (),
) -> LoadedLinks:
    """Read what rating a seller's period takes. Without usage only fees come of it.

    Args:
        buyers: only these direct buyers; None is all. A part of a link is never rated: rates count over its buyer.
        named: whether what the seller calls what it sells is needed.
        also: versions by which it is rated too, see `LoadedLinks.with_cards`, besides those that hold.
    """
    zone = zone_of(zone_name(tx, seller, period.first_day))
    published = load_published(tx)
    start, end = period.bounds(zone)
    trees, wanted = trees_between(tx, start, end), None if buyers is None else set(buyers)
    above = {each for _, tree in trees for each in tree.chain(seller)}
    lines, rated_lines = _load_lines(tx, seller, period, zone, published, wanted, above)
    hours = (start, end) if with_usage else (start, start)
    days = moving_days(tx, [moment for moment, _ in trees[1:]])
    users = _users(trees, end, days, seller, wanted)
    apart = hours_apart(rated_lines, users, also, published, hours, zone)
    found = load_usage(tx, lines, rated_lines, published, apart, hours, zone, seller, above, users)
    sale = Sale(seller, above, start, end, zone, lines, rated_lines, trees, wanted, found.projects)
    promised = load_promised(tx, sale, published) if with_usage else Promised()
    entered, texts = load_one_off_charges(tx, seller, period, lines)
    return LoadedLinks(
        seller=seller,
        period=period,
        zone=zone,
        lines=lines,
        rated_lines=rated_lines,
        usage=found.usage,
        pieces=load_pieces(tx, found.usage, found.projects, found.resources, published, (start, end)),
        costs=found.costs,
        sale=sale,
        promised=promised,
        projects=found.projects,
        resources=found.resources,
        unassigned=found.unassigned,
        composites=found.composites,
        loose=found.loose,
        users=users,
        # After what is promised: that at a site may be the first of its attributes.
        attribute_sets=attribute_sets(tx),
        published=published,
        entered=entered,
        names=SaleNames(own_plans(tx, seller, published) if named else {}, texts),
        exchange=rates_by_currencies(tx, seller) if found.costs.height else {},
    )


def own_plans(tx: Session, seller: UUID, published: Published) -> dict[str, Plan]:
    """The plans that a seller offers under names of its own, by slug, as it calls them."""
    offers = Offers(tx, [seller], published).of.values()
    return {each.slug: renamed(published.plans[each.slug], each.offer) for each in offers}


def _users(
    trees: list[tuple[datetime, Tree]],
    end: datetime,
    days: Mapping[datetime, date],
    seller: UUID,
    buyers: set[UUID] | None,
) -> dict[UUID, list[Through]]:
    """Everybody from a seller down, with the seller's buyers through whom each is charged, one after the other.

    It is charged for its own use itself.

    Args:
        days: of the moments of moves, see `moving_days`.
    """
    found: dict[UUID, list[Through]] = {}
    ends = [*(moment for moment, _ in trees[1:]), end]
    for (start, tree), until in zip(trees, ends, strict=True):
        through = {seller: seller}
        for buyer in tree.children(seller):
            through |= dict.fromkeys(tree.below([buyer]), buyer)
        for owner, buyer in through.items():
            if buyers is not None and buyer not in buyers:
                continue
            known = found.setdefault(owner, [])
            if known and known[-1].buyer == buyer and known[-1].end == start:
                known[-1] = replace(known[-1], end=until, until=days.get(until, date.max))
            else:
                known.append(Through(buyer, start, until, days.get(start, date.min), days.get(until, date.max)))
    return found


def _load_lines(
    tx: Session,
    seller: UUID,
    period: Period,
    zone: ZoneInfo,
    published: Published,
    buyers: Iterable[UUID] | None,
    above: set[UUID],
) -> tuple[dict[int, LoadedLine], dict[int, RatedLine]]:
    rows = lines_in(tx, seller, period.first_day, period.next().first_day, None if buyers is None else list(buyers))
    cards = load_cards(tx, {line.rate_card_id for line, _ in rows}, published)
    plans = _load_plans(tx, {line.plan_version_id for line, _ in rows}, published)
    promised = frozenset(published.promised)
    loaded: dict[int, LoadedLine] = {}
    rated: dict[int, RatedLine] = {}
    numbers: dict[tuple[UUID, UUID], int] = {}
    allowances: dict[tuple[UUID, str, str], dict[str, Decimal]] = {}
    for number, (line, subscription) in enumerate(rows):
        card = cards[line.rate_card_id]
        plan = plans[line.plan_version_id]
        services = tuple(each for each in plan.services if published.owners["service", each] in above)
        follows = rows[number + 1] if number + 1 < len(rows) else None
        same = follows is not None and follows[1].id == subscription.id
        # Whose plan it is gives nothing free of charge that others sell to it.
        theirs = published.owners["plan", plan.slug] not in above
        key = (line.plan_version_id, line.tier, repr(line.special_terms))
        if key not in allowances:
            own = plan.tier(line.tier)
            given = replace(own, allowances=()) if theirs else own
            tier = with_special_terms(given, line.special_terms, plan, published)
            allowances[key] = base_allowances(tier, published.meters)
        loaded[number] = LoadedLine(line, subscription, plan, card.currency, card.ids, services)
        rated[number] = RatedLine(
            number=number,
            plan=plan.slug,
            tier=line.tier,
            start=_opens(line, zone),
            end=_closes(line, subscription, follows[0] if follows and same else None, zone),
            versions=card.versions,
            allowances=allowances[key],
            quantity=line.quantity,
            # What cumulates begins anew on another link.
            subscription=numbers.setdefault((subscription.id, line.buyer_id), len(numbers)),
            buyer=numbers.setdefault((line.buyer_id, line.buyer_id), len(numbers)),
            tenant=numbers.setdefault((subscription.organisation_id, line.buyer_id), len(numbers)),
            paused=line.paused,
            trial=line.trial and not theirs,
            first_day=subscription.starts_on,
            continues=line.starts_on != subscription.starts_on,
            meters=frozenset(meter for service in services for meter in published.metered[service]) | promised,
        )
    return loaded, rated


def _opens(line: SupplyLineRow, zone: ZoneInfo) -> datetime:
    """When a line begins: with its day in the seller's zone, or at the moment of a move."""
    return line.opens_at or day_start(line.starts_on, zone)


def _closes(
    line: SupplyLineRow, subscription: SubscriptionRow, follows: SupplyLineRow | None, zone: ZoneInfo
) -> datetime | None:
    """When a line ends: with the subscription, where another of the seller follows it, or at the moment of a move.

    A subscription that ends with the day of a move does so at its moment.
    """
    ends = [line.closes_at, _opens(follows, zone) if follows else None]
    if subscription.ends_on and not (line.closes_at and line.ends_on == subscription.ends_on):
        ends.append(day_start(subscription.ends_on, zone))
    return min((each for each in ends if each is not None), default=None)


def _load_plans(tx: Session, ids: set[UUID], published: Published) -> dict[UUID, Plan]:
    return {row.id: plan_of(row, published) for row in plan_versions_by_id(tx, ids)}
