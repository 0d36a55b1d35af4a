"""What became of all that came in by a seller's feeds in a month; its finance signs each feed's month off."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import UTC
from decimal import Decimal
from typing import Any

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.exact import QUANTITY_PLACES, add, unscaled
from gradumen.core.metering.feed_balances import Balance, Became, Place, balances, became_of
from gradumen.core.periods import Period, zone_of
from gradumen.core.permissions import Right
from gradumen.store.access.members import names_of
from gradumen.store.metering import feed_balances as store
from gradumen.store.metering.came_in import CameIn
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.kind_rules import counts_unknown
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.tables import OrganisationRow, zone_name
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.rating.current_charges import meters_counted_otherwise
from gradumen.store.rating.resources_charged import charged_resources, not_priced_resources, together_resources
from gradumen.store.unit_of_work import Session, at_one_moment, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.divided_usage import Divided, divided_of
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.measured_before import load_before
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.usecases.spend.feed_months import FeedMonth, millionths
from gradumen.wire.spend.feed_balances import (
    FeedBalanceBody,
    FeedBalancesBody,
    FeedCostBody,
    FeedMeterBody,
    FeedSignOffBody,
)

LOOK_AT = {
    "nobodys": "nobody's",
    "twice": "measured twice",
    "no_rate": "no rate",
    "no_subscription": "no subscription",
    "difference": "difference",
}
"""What somebody should look at of a meter, where it is not 0."""
_NONE = Decimal(0)
OPEN = (*LOOK_AT.values(), "no exchange rate", "estimated", "unknown kind")


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
    scope.require_member(Right.READ_MONEY, seller)
    found = _balances(tx, scope, seller, Period.parse(period))
    return found if feed is None else found.model_copy(update={"items": [_of_feed(found, feed)]})


def _of_feed(found: FeedBalancesBody, feed: str) -> FeedBalanceBody:
    """The balance of one of the feeds.

    Raises:
        NotFound: none of them is called so.
    """
    for each in found.items:
        if each.feed == feed:
            return each
    raise NotFound("feed", feed[:140])


def _balances(tx: Session, scope: Scope, seller: OrganisationRow, month: Period) -> FeedBalancesBody:
    """All feeds of a seller: what one measured may be another's too."""
    usage = usage_as_of(tx, scope.caller)
    zone = zone_of(zone_name(tx, seller.id, month.first_day))
    pairs = [row for row in pairs_with(tx, seller.id, None, month.text) if row.buyer_id != seller.id]
    feeds = feeds_of(tx, seller.id)
    looked = FeedMonth(tx, scope, seller.id, [each.id for each in feeds], month, zone)
    # Of one moment with what came in and was used, so what lacks is lacking.
    became, otherwise = _became(tx, pairs), meters_counted_otherwise(tx, pairs)
    divided = divided_of(tx, scope, seller, feeds, *(bound.astimezone(UTC) for bound in looked.bounds))
    current = current_of(tx, usage, pairs)
    return FeedBalancesBody(
        organisation=seller.slug,
        period=month.text,
        over=scope.now >= looked.bounds[1],
        items=_items(tx, seller, feeds, looked, became, otherwise, divided),
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _became(tx: Session, pairs: Sequence[PairRow]) -> dict[Place, Became]:
    """What became of what is sold, by meter and resource."""
    found = became_of(
        (each.charge, (each.meter, each.resource), millionths(each.quantity), millionths(each.charge_covered))
        for each in charged_resources(tx, pairs)
    )
    for place, quantity in together_resources(tx, pairs).items():
        found.setdefault(place, Became()).together += millionths(quantity)
    watched = load_published(tx).watched
    for row in not_priced_resources(tx, pairs):
        # Without resource it is of a release before, and the pair waits to be rated again.
        there = found.setdefault((row.meter, row.resource or ""), Became())
        if row.meter in watched:
            there.watched += millionths(row.quantity)
        elif row.no_rate:
            there.no_rate += millionths(row.quantity)
        else:
            there.no_subscription += millionths(row.quantity)
    return found


def _items(
    tx: Session,
    seller: OrganisationRow,
    feeds: Sequence[FeedRow],
    looked: FeedMonth,
    became: Mapping[Place, Became],
    otherwise: Collection[str],
    divided: Divided,
) -> list[FeedBalanceBody]:
    found = balances(looked.used, became, load_before(tx))
    slugs = {number: row.slug for number, row in looked.meters.items()}
    for (of, number), quantity in looked.measured.items():
        found.setdefault((of, slugs[number]), Balance()).measured = quantity
    published = load_published(tx)
    refused = store.refused_of(tx, looked.feeds, *looked.bounds)
    unknown = counts_unknown(tx, looked.feeds, *looked.bounds)
    inferred = store.inferred_ends(tx, looked.feeds, *looked.bounds)
    signed = _signed(tx, looked.feeds, looked.month.text)
    items, in_order = [], sorted(slugs, key=slugs.__getitem__)
    for feed in feeds:
        apart = {each: (divided.readings.get((feed.id, each), 0), inferred.get((feed.id, each), 0)) for each in slugs}
        bodies = [_meter_body(looked, feed.id, number, found, published, apart[number]) for number in in_order]
        meters = [_without_difference(each) if each.meter in otherwise else each for each in bodies if each is not None]
        costs = list(_cost_bodies(looked, feed.id, divided))
        said = {each for meter in meters for each in meter.open} | {each for cost in costs for each in cost.open}
        said |= {"unknown kind"} if unknown.get(feed.id) else set()
        body = FeedBalanceBody(
            feed=f"{seller.slug}/{feed.slug}",
            feed_name=feed.name,
            refused=refused.get(feed.id, 0),
            unknown=unknown.get(feed.id, 0),
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
    changed = _as_today(row.document) != _document(now)
    return FeedSignOffBody(by=by, at=row.signed_at, is_open=row.is_open, reason=row.reason, changed=changed)


def _signed(tx: Session, feeds: Collection[int], period: str) -> dict[int, tuple[store.FeedSignOffRow, str]]:
    """What was signed off, and by whom."""
    rows = store.sign_offs_of(tx, feeds, period)
    users = names_of(tx, {row.signed_by for row in rows.values()})
    return {feed: (row, users[row.signed_by]) for feed, row in rows.items()}


def _as_today(document: dict[str, Any]) -> dict[str, object]:
    """A balance as it was signed off: of what was not told apart then there was nothing."""
    nothing, unknown = (dict.fromkeys(("gave_way", "watched", "together"), value) for value in ("0", None))
    since: dict[str, Any] = {"inferred": 0, "divided": 0}
    meters = [{**since, **({} if each["measured"] is None else nothing), **each} for each in document["meters"]]
    costs = [{"divided": "0", "estimated": "0", **each} for each in document["costs"]]
    return {"unknown": 0, **document, "meters": [{**unknown, **each} for each in meters], "costs": costs}


def _document(body: FeedBalanceBody) -> dict[str, object]:
    """A balance as it is kept when it is signed off."""
    return body.model_dump(mode="json", exclude={"sign_off"})


def _meter_body(
    looked: FeedMonth,
    feed: int,
    number: int,
    found: Mapping[tuple[int, str], Balance],
    published: Published,
    apart: tuple[int, int],
) -> FeedMeterBody | None:
    """A meter's balance; ``apart`` is how many readings were divided, and how many ends inferred."""
    meter = looked.meters[number].slug
    came = looked.came_in.get((feed, number), CameIn())
    balance = found.get((feed, meter), Balance())
    told = asdict(balance)
    if came == CameIn() and not any(told.values()):
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
        inferred=apart[1],
        divided=apart[0],
        **{name: unscaled(quantity, QUANTITY_PLACES) if additive else None for name, quantity in told.items()},
        open=[said for name, said in LOOK_AT.items() if told[name]],
    )


def _without_difference(body: FeedMeterBody) -> FeedMeterBody:
    """Of a meter of which effective cost or begun time is sold: what is charged is no sum of what came in."""
    told = [each for each in body.open if each != LOOK_AT["difference"]]
    return body.model_copy(update={"difference": None, "open": told})


def _cost_bodies(looked: FeedMonth, feed: int, divided: Divided) -> Iterator[FeedCostBody]:
    rows = [each for each in looked.costs if each.feed == feed]
    for currency in sorted({each.currency for each in rows if each.stands}):
        here = [each for each in rows if each.currency == currency]
        billed = add([each.billed for each in here if each.stands])
        tax = add([each.billed for each in here if each.stands and each.tax])
        whose = looked.owned_costs[feed, currency]
        owned, nobodys, left = (add(whose[name]) for name in ("owned", "nobodys", "no_exchange_rate"))
        difference = add([billed, -tax, -owned, -nobodys])
        estimated = [each for each in here if each.stands and each.estimated]
        told = {"nobody's": nobodys, "no exchange rate": left, "difference": difference}
        told["estimated"] = Decimal(sum(each.rows for each in estimated))
        yield FeedCostBody(
            currency=currency,
            rows=sum(each.rows for each in here if each.stands and not each.estimated),
            replaced=sum(each.rows for each in here if not each.stands and not each.estimated),
            billed=billed,
            estimated=add([each.billed for each in estimated]),
            tax=tax,
            owned=owned,
            nobodys=nobodys,
            divided=divided.costs.get((feed, currency), _NONE),
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
    scope.require_member(Right.BILL, seller)
    month = Period.parse(period)
    found = _balances(tx, scope, seller, month)
    if not found.over:
        raise Conflict(f"{month.text} is not over in the seller's zone; sign it off afterwards", period=month.text)
    if found.waiting:
        raise Conflict("what came in is not all counted and rated yet; look again in a moment", period=month.text)
    body = _of_feed(found, feed)
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
    told = _sign_off_body(_signed(tx, [row.id], month.text).get(row.id), body)
    return found.model_copy(update={"items": [body.model_copy(update={"sign_off": told})]})


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
    scope.require_member(Right.BILL, seller)
    month = Period.parse(period)
    found = store.sign_offs_of(tx, [row.id], month.text).get(row.id)
    # Of two who withdraw it at once, one did.
    if found is not None and store.drop_sign_off(tx, row.id, month.text):
        values = {"open": found.is_open, "reason": found.reason}
        record(tx, caller, "feed month's sign-off withdrawn", seller.id, f"{feed} {month.text}", before=values)
