"""What became of all that came in by a seller's feeds in a month; its finance signs each feed's month off."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from uuid import UUID
from zoneinfo import ZoneInfo

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, add, scaled, unscaled
from gradumen.core.metering.feed_balances import Balance, Became, Place, balances, became_of
from gradumen.core.metering.ownership import NOBODY
from gradumen.core.metering.packed_days import pack, unpack
from gradumen.core.metering.readings import LONGEST
from gradumen.core.metering.usage import Divisions, Sample, combine_days
from gradumen.core.periods import Period, day_start, hour_number, zone_of
from gradumen.core.permissions import Right
from gradumen.store.access.members import names_of
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering import feed_balances as store
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.stale_usage import kept_by_quarter, organisations_by_number
from gradumen.store.metering.tables import FeedRow
from gradumen.store.metering.usage import meter_rows, meters_by_seller
from gradumen.store.organisations.tables import OrganisationRow, Tree, zone_name
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.rating.resources_charged import charged_resources, effective_meters, not_priced_resources
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.stale_usage import owned_samples, usage_as_of
from gradumen.usecases.metering.usage import quantities_of, spans_of
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.spend.feed_balances import (
    FeedBalanceBody,
    FeedBalancesBody,
    FeedCostBody,
    FeedMeterBody,
    FeedSignOffBody,
)

QUANTITIES = (
    "measured", "nobodys", "own_use", "elsewhere", "twice", "charged", "covered", "no_rate", "no_subscription",
)  # fmt: skip
LOOK_AT = {
    "nobodys": "nobody's",
    "twice": "measured twice",
    "no_rate": "no rate",
    "no_subscription": "no subscription",
    "difference": "difference",
}
"""What somebody should look at of a meter, where it is not 0."""
OPEN = (*LOOK_AT.values(), "no exchange rate")


@use_case
def list_feed_balances(
    tx: Session, caller: Caller, *, organisation: str, period: str, feed: str | None = None
) -> FeedBalancesBody:
    """What became of all that came in by a seller's feeds in a month of its billing zone; for its members alone.

    Args:
        feed: only this one, as ``organisation/feed``.

    Raises:
        Forbidden: the caller is no member of the seller: what it charges is its own.
        Invalid: no such month.
        NotFound: the seller has no such feed.
    """
    at_one_moment(tx)
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    if seller.id not in scope.members_money():
        raise Forbidden(right=Right.READ_MONEY, organisation=seller.slug, name=seller.name)
    feeds = feeds_of(tx, seller.id)
    if feed is not None:
        feeds = [each for each in feeds if f"{seller.slug}/{each.slug}" == feed]
        if not feeds:
            raise NotFound("feed", feed[:140])
    return _balances(tx, scope, seller, feeds, Period.parse(period))


def _balances(
    tx: Session, scope: Scope, seller: OrganisationRow, feeds: Sequence[FeedRow], month: Period
) -> FeedBalancesBody:
    usage = usage_as_of(tx, scope.caller)
    zone = zone_of(zone_name(tx, seller.id, month.first_day))
    pairs = [row for row in pairs_with(tx, seller.id, None, month.text) if row.buyer_id != seller.id]
    looked = _Month(tx, scope, seller.id, [each.id for each in feeds], month, zone)
    # Of one moment with what came in and was used, so what lacks is lacking.
    became, effective = _became(tx, pairs), effective_meters(tx, pairs)
    current = current_of(tx, usage, pairs)
    return FeedBalancesBody(
        organisation=seller.slug,
        period=month.text,
        over=scope.now >= looked.bounds[1],
        items=_items(tx, seller, feeds, looked, became, effective),
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _became(tx: Session, pairs: Sequence[PairRow]) -> dict[Place, Became]:
    """What became of what is sold, by meter and resource."""
    found = became_of(
        (each.charge, (each.meter, each.resource), _millionths(each.quantity), _millionths(each.charge_covered))
        for each in charged_resources(tx, pairs)
    )
    for meter, resource, no_rate, quantity in not_priced_resources(tx, pairs):
        there = found.setdefault((meter, resource), Became())
        if no_rate:
            there.no_rate += _millionths(quantity)
        else:
            there.no_subscription += _millionths(quantity)
    return found


def _millionths(quantity: Decimal) -> int:
    return scaled(quantity, QUANTITY_PLACES)


@dataclass(slots=True)
class _Told:
    """Usage by feed and place, told apart by whose it is."""

    by_place: dict[tuple[int, Place], dict[str, int]]

    def add(self, feed: int, place: Place, whose: str, quantity: int) -> None:
        self.by_place[feed, place][whose] += quantity


class _Month:
    """What came in by some feeds in a month, and whose it is."""

    def __init__(
        self, tx: Session, scope: Scope, seller: UUID, feeds: list[int], month: Period, zone: ZoneInfo
    ) -> None:
        self.tx, self.scope, self.seller, self.feeds, self.month, self.zone = tx, scope, seller, feeds, month, zone
        self.bounds = month.bounds(zone)
        self.meters: Mapping[int, MeterRow] = meter_rows(tx)
        self.spans = list(spans_of(tx, scope, *self.bounds))
        self._of_seller = meters_by_seller(tx)
        self.came_in = store.came_in(tx, feeds, *self.bounds) if feeds else {}
        self.measured = self._measured() if feeds else {}
        self.told = _Told(defaultdict(lambda: defaultdict(int)))
        self._tell_usage()
        self.costs = store.costs_in(tx, feeds, month.first_day)
        self.owned_costs: dict[tuple[int, str], dict[str, list[Decimal]]] = defaultdict(lambda: defaultdict(list))
        self._tell_costs()

    def _measured(self) -> dict[tuple[int, int], int]:
        """What readings say of the month, in millionths of base units, by feed and meter."""
        found: dict[tuple[int, int], int] = defaultdict(int)
        for (feed, meter), came in self.came_in.items():
            level = self.meters[meter].combine == Combine.LEVEL
            found[feed, meter] += _millionths(came.by_seconds if level else came.summed)
        start, end = self.bounds
        across: dict[tuple[int, int, bool], list[tuple[int, ...]]] = defaultdict(list)
        for first, moment in ((True, start), (False, end)):
            for feed, meter, *row in store.readings_across(self.tx, self.feeds, moment, LONGEST):
                across[feed, meter, first].append(tuple(row))
        by_quarter = kept_by_quarter(self.tx) if across else set()
        for (feed, meter, first), rows in across.items():
            combine = Combine(self.meters[meter].combine)
            divisions = Divisions()
            samples = owned_samples(self.tx, meter, rows, divisions)
            kept = divisions.by_quarter(by_quarter)
            for sample in samples:
                inside = self._inside(sample, combine, kept)
                whole = sample.quantity * (sample.end - sample.start if combine is Combine.LEVEL else 1)
                # What begins before the month was not counted yet, what ends after it wholly.
                found[feed, meter] += inside if first else inside - whole
        return found

    def _inside(self, sample: Sample, combine: Combine, by_quarter: set[int]) -> int:
        """The part of a reading that is the month's, as its usage is."""
        days, hours, slots = [], [], []
        for (_, _, day, _), usage in combine_days([sample], combine, by_quarter).items():
            packed = pack(usage.slots, by_quarter=usage.by_quarter)
            days.append(day)
            hours.append(packed[0])
            slots.append(packed[1])
        first, last = (hour_number(bound, self.zone) for bound in self.bounds)
        return int(unpack(days, hours, slots, self.zone).within(first, last).quantity.sum())

    def _whose(self, tree: Tree, owners: Mapping[int, UUID], project: int, meter: int) -> str:
        """Whose usage is, as the seller sees it."""
        if project == NOBODY:
            return "nobodys"
        owner = owners[project]
        if owner == self.seller:
            return "own_use"
        sold = any(meter in self._of_seller.get(each, ()) for each in tree.chain(self.seller))
        return "sold" if sold and owner in tree.below([self.seller]) else "elsewhere"

    def _tell_usage(self) -> None:
        wanted = store.OfFeeds(self.feeds)
        for tree, bounds in self.spans:
            by = ("project", "resource", "feed")
            rows = list(quantities_of(self.tx, wanted, bounds, by, self.zone)) if self.feeds else []
            owners = organisations_by_number(self.tx, {keys["project"] for _, keys, _ in rows})
            for meter, keys, quantity in rows:
                place = self.meters[meter].slug, keys["resource"]
                self.told.add(keys["feed"], place, self._whose(tree, owners, keys["project"], meter), quantity)

    def _tell_costs(self) -> None:
        rows = store.costs_by_owner(self.tx, self.feeds, self.month.first_day)
        owners = organisations_by_number(self.tx, {row[2] for row in rows})
        for feed, meter, project, resource, day, currency, billed, sold, is_sold in rows:
            tree = self._tree_at(day_start(max(day, self.month.first_day), self.zone))
            whose = self._whose(tree, owners, project, meter)
            quantity = scaled(sold if is_sold else billed, AMOUNT_PLACES)
            self.told.add(feed, (self.meters[meter].slug, resource), whose, quantity)
            self.measured[feed, meter] = self.measured.get((feed, meter), 0) + quantity
            there = self.owned_costs[feed, currency]
            there["nobodys" if project == NOBODY else "owned"].append(billed)
            there["no_exchange_rate"] += [] if is_sold else [billed]

    def _tree_at(self, moment: datetime) -> Tree:
        return [tree for tree, (begins, _) in self.spans if begins <= moment or tree is self.spans[0][0]][-1]


def _items(
    tx: Session,
    seller: OrganisationRow,
    feeds: Sequence[FeedRow],
    looked: _Month,
    became: Mapping[Place, Became],
    effective: Collection[str],
) -> list[FeedBalanceBody]:
    first, last = (bound.date() for bound in looked.bounds)
    # Of one feed alone, what the seller's others measured is another's too.
    elsewhere = store.measured_elsewhere(tx, looked.feeds, first, last) if looked.feeds else set()
    places = {(looked.meters[meter].slug, name) for meter, name in elsewhere}
    found = balances(looked.told.by_place, became, places)
    slugs = {number: row.slug for number, row in looked.meters.items()}
    for (of, number), quantity in looked.measured.items():
        found.setdefault((of, slugs[number]), Balance()).measured = quantity
    published = load_published(tx)
    refused = store.refused_of(tx, looked.feeds, *looked.bounds)
    signed = _signed(tx, looked)
    items = []
    for feed in feeds:
        bodies = [
            _meter_body(looked, feed.id, number, found, published) for number in sorted(slugs, key=slugs.__getitem__)
        ]
        meters = [_without_difference(each) if each.meter in effective else each for each in bodies if each is not None]
        costs = list(_cost_bodies(looked, feed.id))
        said = {each for meter in meters for each in meter.open} | {each for cost in costs for each in cost.open}
        body = FeedBalanceBody(
            feed=f"{seller.slug}/{feed.slug}",
            feed_name=feed.name,
            refused=refused.get(feed.id, 0),
            meters=meters,
            costs=costs,
            open=[each for each in OPEN if each in said],
            sign_off=None,
        )
        items.append(body.model_copy(update={"sign_off": _sign_off_body(signed.get(feed.id), body)}))
    return items


def _sign_off_body(signed: tuple[store.FeedSignOffRow, str] | None, now: FeedBalanceBody) -> FeedSignOffBody | None:
    if signed is None:
        return None
    row, by = signed
    changed = row.document != _document(now)
    return FeedSignOffBody(by=by, at=row.signed_at, is_open=row.is_open, reason=row.reason, changed=changed)


def _signed(tx: Session, looked: _Month) -> dict[int, tuple[store.FeedSignOffRow, str]]:
    rows = store.sign_offs_of(tx, looked.feeds, looked.month.text)
    users = names_of(tx, {row.signed_by for row in rows.values()})
    return {feed: (row, users[row.signed_by]) for feed, row in rows.items()}


def _document(body: FeedBalanceBody) -> dict[str, object]:
    """A balance as it is kept when it is signed off."""
    return body.model_dump(mode="json", exclude={"sign_off"})


def _meter_body(
    looked: _Month, feed: int, number: int, found: Mapping[tuple[int, str], Balance], published: Published
) -> FeedMeterBody | None:
    meter = looked.meters[number].slug
    came = looked.came_in.get((feed, number), store.CameIn())
    balance = found.get((feed, meter), Balance())
    told = {name: getattr(balance, name) for name in QUANTITIES}
    if came == store.CameIn() and not any(told.values()):
        return None
    known = published.meters.get(meter)
    additive = known is None or known.sampling.additive
    told["difference"] = balance.difference if additive else 0
    return FeedMeterBody(
        meter=meter,
        meter_name=meter_name(meter, published),
        unit=looked.meters[number].unit,
        readings=came.readings,
        replaced=came.replaced,
        taken_back=came.taken_back,
        **{name: unscaled(told[name], QUANTITY_PLACES) if additive else None for name in QUANTITIES},
        difference=unscaled(told["difference"], QUANTITY_PLACES) if additive else None,
        open=[said for name, said in LOOK_AT.items() if told[name] and (additive or name != "twice")],
    )


def _without_difference(body: FeedMeterBody) -> FeedMeterBody:
    """Of a meter of which effective cost is sold: what is charged is no sum of what was billed."""
    told = [each for each in body.open if each != LOOK_AT["difference"]]
    return body.model_copy(update={"difference": None, "open": told})


def _cost_bodies(looked: _Month, feed: int) -> Iterator[FeedCostBody]:
    rows = [each for each in looked.costs if each.feed == feed]
    for currency in sorted({each.currency for each in rows if each.stands}):
        here = [each for each in rows if each.currency == currency]
        billed = add([each.billed for each in here if each.stands])
        tax = add([each.billed for each in here if each.stands and each.tax])
        whose = looked.owned_costs[feed, currency]
        owned, nobodys, left = (add(whose[name]) for name in ("owned", "nobodys", "no_exchange_rate"))
        difference = add([billed, -tax, -owned, -nobodys])
        told = {"nobody's": nobodys, "no exchange rate": left, "difference": difference}
        yield FeedCostBody(
            currency=currency,
            rows=sum(each.rows for each in here if each.stands),
            replaced=sum(each.rows for each in here if not each.stands),
            billed=billed,
            tax=tax,
            owned=owned,
            nobodys=nobodys,
            no_exchange_rate=left,
            difference=difference,
            open=[said for said, amount in told.items() if amount],
        )


@use_case
def sign_off(tx: Session, caller: Caller, *, feed: str, period: str, reason: str | None) -> FeedBalancesBody:
    """Sign a feed's month off as it is now; again, and it is as it is then.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may not bill for the feed's seller.
        Conflict: the month is not over, or what came in is not counted yet.
        Invalid: something is open, and no reason is given; no such month.
    """
    at_one_moment(tx)
    scope = load_scope(tx, caller)
    row, seller = get_feed(tx, scope, feed)
    scope.require(Right.BILL, seller)
    month = Period.parse(period)
    found = _balances(tx, scope, seller, [row], month)
    if not found.over:
        raise Conflict(f"{month.text} is not over in the seller's zone; sign it off afterwards", period=month.text)
    if found.waiting:
        raise Conflict("what came in is not all counted and rated yet; look again in a moment", period=month.text)
    [body] = found.items
    why = (reason or "").strip() or None
    if body.open and why is None:
        raise Invalid(f"this month has open sums ({', '.join(body.open)}); say why it is signed off so", field="reason")
    before = store.sign_offs_of(tx, [row.id], month.text).get(row.id)
    was = {"open": before.is_open, "reason": before.reason} if before else None
    values = {
        "is_open": bool(body.open),
        "reason": why,
        "document": _document(body),
        "signed_by": caller.user_id,
        "signed_at": caller.at,
    }
    store.put_sign_off(tx, row.id, month.text, values)
    now = {"open": bool(body.open), "reason": why}
    record(tx, caller, "feed month signed off", seller.id, f"{feed} {month.text}", before=was, after=now)
    return _balances(tx, scope, seller, [row], month)


@use_case
def withdraw_sign_off(tx: Session, caller: Caller, *, feed: str, period: str) -> None:
    """Take a sign-off back; without one nothing changes.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may not bill for the feed's seller.
        Invalid: no such month.
    """
    scope = load_scope(tx, caller)
    row, seller = get_feed(tx, scope, feed)
    scope.require(Right.BILL, seller)
    month = Period.parse(period)
    found = store.sign_offs_of(tx, [row.id], month.text).get(row.id)
    # Of two who withdraw it at once, one did.
    if found is not None and store.drop_sign_off(tx, row.id, month.text):
        values = {"open": found.is_open, "reason": found.reason}
        record(tx, caller, "feed month's sign-off withdrawn", seller.id, f"{feed} {month.text}", before=values)
