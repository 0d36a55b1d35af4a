"""Spend: what somebody is charged, or charges, by what its reader chooses, over any range."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from itertools import pairwise
from uuid import UUID

import polars as pl

from gradumen.core.catalogue.price_margins import percent_of
from gradumen.core.errors import Forbidden, Invalid
from gradumen.core.exact import AMOUNT_PLACES, add, line_amount, unscaled
from gradumen.core.periods import Period
from gradumen.core.permissions import Right
from gradumen.core.spend.spend import TIMES, Dimension, Range, SpendSum, sums_by
from gradumen.store.billing.invoices import documented
from gradumen.store.organisations.organisations import organisations_by_slug
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow, pairs_between
from gradumen.store.rating.current_charges import estimated_of
from gradumen.store.subscriptions.sales import currencies_of, suppliers_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stale_usage import usage_as_of
from gradumen.usecases.rating.stored_charges import current_of
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, today_of
from gradumen.usecases.spend.link_sums import Link
from gradumen.usecases.spend.spend_rows import SpendRows
from gradumen.wire.spend.spend import SpendBody, SpendCostBody, SpendCurrencyBody, SpendKeyBody, SpendRowBody

SIDES = ("bought", "sold")
SELLER = "seller"
"""What can be told apart of what is bought, beside dimensions: whom of, where somebody has moved."""
MOST_ROWS = 200_000
"""Rows that one answer has at most."""


@dataclass(frozen=True, slots=True)
class Asked:
    """Whose spend is asked for: bought or sold, in which days, and only what has some values of dimensions."""

    organisation: str
    side: str | None = None
    first: date | None = None
    end: date | None = None
    only: tuple[str, ...] = ()


class Looked:
    """What is asked for, found: the links that the reader sees, and their rows."""

    def __init__(self, tx: Session, caller: Caller, asked: Asked) -> None:
        self.tx = tx
        self.scope, self.usage = load_scope(tx, caller), usage_as_of(tx, caller)
        self.owner = get_organisation(tx, self.scope, asked.organisation)
        self.mine = self.scope.members_money()
        self.side = _side(self.scope, self.owner, asked.side)
        today = today_of(tx, self.scope, self.owner)
        first = asked.first or today.replace(day=1)
        end = asked.end or Period(today.year, today.month).next().first_day
        self.days = Range.asked(first, end).until(today)
        told = [_filter(each) for each in asked.only]
        self.filters = [each for each in told if each[0] != SELLER]
        self.sellers = {value for name, value in told if name == SELLER}
        self.buyers = {value for name, value in told if name == Dimension.BUYER}
        if self.sellers and self.side == "sold":
            raise Invalid("what is sold has one seller; choose a buyer, or side bought", field="only", value=SELLER)
        self.rows = SpendRows(tx, self.scope, self.owner, load_published(tx), self.days)
        self.links = self._sold() if self.side == "sold" else self._bought()

    @property
    def pairs(self) -> list[PairRow]:
        """All pairs that are looked at."""
        return [pair for link in self.links for pair in link.pairs]

    def frame(self, by: Sequence[str], *, by_charge: bool = False) -> pl.DataFrame:
        """The rows that are asked for, with columns of some dimensions, or of the charges that they are of."""
        sold_in = currencies_of(self.tx, self.owner.id) if self.side == "sold" else {}
        wanted = {*by, *(dimension for dimension, _ in self.filters)}
        frame = self.rows.read(self.links, sold_in, wanted, by_charge=by_charge)
        for dimension, value in self.filters:
            frame = frame.filter(pl.col(dimension) == value)
        return frame

    def _between(self, sellers: set[UUID], buyers: set[UUID] | None) -> list[PairRow]:
        first = min(self.days.first, self.days.before.first)
        return pairs_between(self.tx, sellers, buyers, f"{first:%Y-%m}", f"{self.days.last_day:%Y-%m}")

    def _bought(self) -> list[Link]:
        """The link nearest to the owner that the reader sees, and what the owner uses of its own services.

        Where the owner, or one that sells to it, moves in the range, it is one after the other.
        """
        users = self.rows.users.all
        if self.sellers:
            return [Link(self._of_sellers(), users)]
        nearest: set[tuple[UUID, UUID]] = set()
        for _, tree in self.rows.users.trees:
            chain = pairwise(tree.chain(self.owner.id))
            nearest |= {next(((of, by) for by, of in chain if self.mine & {by, of}), (self.owner.id, self.owner.id))}
        nearest.discard((self.owner.id, self.owner.id))
        links: list[Link] = []
        if nearest:
            pairs = self._between({seller for seller, _ in nearest}, {buyer for _, buyer in nearest})
            links.append(Link([pair for pair in pairs if (pair.seller_id, pair.buyer_id) in nearest], users))
        if self.owner.id in self.mine and self.owner.type != "tenant":
            links.append(Link(self._between({self.owner.id}, {self.owner.id}), frozenset({self.owner.id})))
        if not links:
            raise Forbidden(right=Right.READ_MONEY, organisation=self.owner.slug, name=self.owner.name)
        return links

    def _of_sellers(self) -> list[PairRow]:
        """What the owner buys of a seller, now, before or from a planned move on; of two at once there is nothing."""
        of = {each.id for each in organisations_by_slug(self.tx, self.sellers).values()} - {self.owner.id}
        if not self.mine & {*of, self.owner.id}:
            raise Forbidden(right=Right.READ_MONEY, organisation=self.owner.slug, name=self.owner.name)
        return self._between(of, {self.owner.id}) if len(of) == len(self.sellers) == 1 else []

    def _sold(self) -> list[Link]:
        """What the owner sells, and what all that costs it: its suppliers' charges and its own services."""
        owner, users = self.owner.id, self.rows.users.all
        all_of_owner = self._between({owner}, None)
        suppliers = suppliers_of(self.tx, owner) - {owner}
        costs = [pair for pair in all_of_owner if pair.buyer_id == owner]
        costs += self._between(suppliers, {owner}) if suppliers else []
        sold = [pair for pair in all_of_owner if pair.buyer_id != owner]
        if self.buyers:
            chosen = {each.id for each in organisations_by_slug(self.tx, self.buyers).values()}
            sold = [pair for pair in sold if pair.buyer_id in chosen]
        return [Link(sold, users, sold=True), Link(costs, users, cost=True)]


def _side(scope: Scope, owner: OrganisationRow, asked: str | None) -> str:
    sells = owner.type != "tenant"
    if asked is None:
        return "sold" if sells and owner.id in scope.members_money() else "bought"
    if asked not in SIDES or (asked == "sold" and not sells):
        has = "bought or sold" if sells else f"bought: '{owner.slug}' is a tenant and sells nothing"
        raise Invalid(f"side is {has}; got '{asked[:30]}'", field="side", value=asked)
    if asked == "sold" and owner.id not in scope.members_money():
        raise Forbidden(right=Right.READ_MONEY, organisation=owner.slug, name=owner.name)
    return asked


def _filter(written: str) -> tuple[str, str]:
    name, colon, value = written.partition(":")
    known = [*(each.value for each in Dimension if each not in TIMES), SELLER]
    if not colon or name not in known:
        raise Invalid(
            f"only is written dimension:value, with one of {', '.join(known)}; got '{written[:60]}'",
            field="only",
            value=written,
        )
    return name, value


@use_case
def sum_spend(tx: Session, caller: Caller, *, asked: Asked, by: tuple[str, ...], top: int) -> SpendBody:
    """What is charged, net of tax, by one or two dimensions; billed or not, as documents have it.

    Where somebody sells, what it costs and what is kept of it is shown to its own members alone.

    Raises:
        Invalid: an unknown dimension, side or filter, more than two dimensions, a range that is empty or too long, or
            more than `MOST_ROWS` rows.
        Forbidden: the caller sees the organisation but no link's money above or below it.
    """
    for each in by:
        if each not in set(Dimension):
            raise Invalid(f"spend has no dimension '{each[:30]}'; choose from {', '.join(Dimension)}", field="by")
    if not 1 <= len(by) <= 2 or len(set(by)) != len(by):
        raise Invalid("choose one or two dimensions, each once", field="by", value=", ".join(by)[:60])
    looked = Looked(tx, caller, asked)
    frame = looked.frame(by)
    totals, rows = sums_by(frame, (), top), sums_by(frame, by, top)
    if len(rows) > MOST_ROWS:
        raise Invalid(
            f"{len(rows):,} rows are more than the {MOST_ROWS:,} of one answer; choose fewer days or other dimensions",
            field="by",
            value=", ".join(by),
        )
    parts = _documented(looked, totals)
    current = current_of(tx, looked.usage, looked.pairs)
    before = looked.days.before
    return SpendBody(
        organisation=looked.owner.slug,
        organisation_name=looked.owner.name,
        side=looked.side,
        from_day=looked.days.first,
        to_day=looked.days.end,
        before_from=before.first,
        before_to=before.end,
        by=list(by),
        currencies=[
            SpendCurrencyBody(
                currency=total.currency,
                total=_row(total, (), looked),
                rows=[_row(each, by, looked) for each in rows if each.currency == total.currency],
                **parts.get(total.currency, dict.fromkeys(("billed", "on_drafts", "to_bill", "estimated"))),
            )
            for total in totals
        ],
        as_of=current.as_of,
        waiting=current.waiting,
    )


def _row(found: SpendSum, by: Sequence[str], looked: Looked) -> SpendRowBody:
    amount, before = unscaled(found.amount, AMOUNT_PLACES), unscaled(found.before, AMOUNT_PLACES)
    compared = unscaled(found.compared, AMOUNT_PLACES)
    alone = any(each in TIMES for each in by) or looked.days.before.first == looked.days.before.end
    costs = {currency: unscaled(cost, AMOUNT_PLACES) for currency, cost in sorted(found.costs.items())}
    margin = None
    if looked.side == "sold" and not set(costs) - {found.currency}:
        margin = add([amount, *(-cost for cost in costs.values())])
    return SpendRowBody(
        keys=[
            SpendKeyBody(id=key, name="The rest" if key is None else looked.rows.name(dimension, key))
            for dimension, key in zip(by, found.keys, strict=True)
        ],
        amount=amount,
        compared=None if alone else compared,
        before=None if alone else before,
        change_percent=None if alone else _change(compared, before),
        costs=[SpendCostBody(currency=currency, amount=cost) for currency, cost in costs.items()],
        margin=margin,
        margin_percent=None if margin is None else percent_of(amount, add([amount, -margin])),
        others=found.others,
    )


def _change(now: Decimal, before: Decimal) -> Decimal | None:
    """By how many percent more it is than before, to one place; None where nothing was charged before."""
    share = percent_of(before, now) if before > 0 else None
    return None if share is None else -share


def _documented(looked: Looked, totals: Sequence[SpendSum]) -> dict[str, dict[str, Decimal | None]]:
    """What of whole links' whole months is billed, on drafts, to bill and estimated, by currency.

    Nothing where less is shown.
    """
    days, link = looked.days, looked.links[0]
    bills = [pair for pair in link.pairs if pair.seller_id != pair.buyer_id]
    of_buyers = all(name == Dimension.BUYER for name, _ in looked.filters) and len(looked.buyers) <= 1
    whole = days.first.day == days.end.day == 1 and (of_buyers if looked.side == "sold" else not looked.filters)
    whole &= looked.side == "sold" or all(pair.buyer_id == looked.owner.id for pair in bills)
    if not whole or not bills or (len(looked.links) > 1 and looked.side == "bought"):
        return {}
    inside = [pair for pair in bills if f"{days.first:%Y-%m}" <= pair.period <= f"{days.last_day:%Y-%m}"]
    found, estimated = documented(looked.tx, inside), estimated_of(looked.tx, inside)
    sells = all(pair.seller_id in looked.mine for pair in inside)
    parts: dict[str, dict[str, Decimal | None]] = {}
    for total in totals:
        billed = found.get((total.currency, "issued"), Decimal(0))
        drafted = found.get((total.currency, "draft"), Decimal(0)) if sells else Decimal(0)
        left = add([unscaled(total.amount, AMOUNT_PLACES), -billed, -drafted])
        parts[total.currency] = {"billed": billed, "on_drafts": drafted if sells else None, "to_bill": left}
        parts[total.currency]["estimated"] = line_amount([estimated.get(total.currency, Decimal(0))], total.currency)
    return parts
