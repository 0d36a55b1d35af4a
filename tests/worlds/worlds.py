"""Families of customers: who sells to whom at which prices, what is subscribed to, what is used, who moves."""

import os
from calendar import monthrange
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from zoneinfo import ZoneInfo

from tests.worlds.used import Cost, Level, Month, Promise, Told, Use

GIB = 1024**3
ZONES = ("Europe/Dublin", "Europe/Brussels", "America/Halifax", "Asia/Kolkata", "Asia/Kathmandu", "Asia/Tokyo")
WHOLE_HOURS = [each for each in ZONES if each not in ("Asia/Kolkata", "Asia/Kathmandu")]
MINOR = {"EUR": 2, "GBP": 2, "JPY": 0}
PROJECTS = ("all", "barn")
QUARTER = timedelta(minutes=15)
STEPS = {"hour": 3600, "minute": 60}
BEGIN = os.environ.get("GRADUMEN_MONTH", "2026-09")
"""The first of the months under test."""
COUNT = 2


def months_on(day: date, months: int) -> date:
    """The same day of a later month, or its last."""
    year, month = divmod(day.month - 1 + months, 12)
    year, month = day.year + year, month + 1
    return date(year, month, min(day.day, monthrange(year, month)[1]))


FIRST = date.fromisoformat(f"{BEGIN}-01")
LAST = months_on(FIRST, COUNT)
DAYS = (LAST - FIRST).days
MONTHS: list[Month] = [(months_on(FIRST, number), months_on(FIRST, number + 1)) for number in range(COUNT)]


@dataclass(frozen=True)
class Stretch:
    """From a day on: tier, quantity, paused, free of charge as a trial, version of the plan."""

    day: date
    tier: str
    quantity: int
    paused: bool
    trial: bool = False
    plan: int = 1


@dataclass(frozen=True)
class Window:
    """Hours of some days of the week (0 is Monday) on the seller's clocks, over midnight only where it is all days."""

    days: tuple[int, ...]
    start: int
    end: int
    price: Fraction

    def holds(self, local: datetime) -> bool:
        if local.weekday() not in self.days:
            return False
        inside = self.start <= local.hour < self.end
        return inside if self.start < self.end else local.hour >= self.start or local.hour < self.end


@dataclass(frozen=True)
class Version:
    """A card's version: the price of traffic in one of several ways, own allowance, commitment, bounds, fees.

    ``part`` is a percentage off traffic, then ``off`` one off everything, ``less`` an amount of each subscription's after it, ``spend`` the least that
    a month comes to after both. In a ``window`` traffic has another price, without bounds; composites are charged as
    their ``components`` or as the whole. ``once`` and ``quarter`` are fees of both tiers, ``peaks`` prices of sampled
    meters, for an hour of a GiB; ``awake`` and ``parked`` prices of a machine's hour, awake by begun steps. Costs of a
    supplier are sold with a ``markup`` in percent, and once a ``fixed`` amount; ``promised`` is the price of a month
    (730 hours) of a GiB that a quota promises, ``worked`` that of an hour of a reseller's own service. Of what own services cost, ``rent`` is a month's fixed amount, borne in
    proportion to traffic, and ``overhead`` a percentage on everything. It is of the seller's usual card, or ``named``: of
    the one that is agreed for some subscriptions.
    """

    day: date
    kind: str
    prices: tuple[Fraction, ...]
    ends: tuple[int, ...]
    allowance: int
    committed: int
    minimum: Fraction
    cap: Fraction | None
    fees: dict[str, Fraction]
    off: int
    spend: Fraction
    window: Window | None = None
    components: bool = False
    once: Fraction = Fraction(0)
    quarter: Fraction = Fraction(0)
    less: int = 0
    peaks: dict[str, Fraction] = field(default_factory=dict)
    awake: Fraction | None = None
    step: str = "hour"
    parked: Fraction | None = None
    markup: int | None = None
    fixed: Fraction = Fraction(0)
    promised: Fraction | None = None
    part: int = 0
    rent: Fraction = Fraction(0)
    worked: Fraction = Fraction(0)
    overhead: int = 0
    named: bool = False


@dataclass
class Derived:
    """The link whose usual card is followed, the percentage and amount on top of prices, and what these are multiples of."""

    base: "Link"
    percent: int
    amount: Fraction
    step: Fraction


@dataclass
class Link:
    """A seller with a buyer, its cards, and the seller's zone.

    ``card`` is the name of the usual one, which another buyer may have, too; where it ``renews``, a subscription goes over
    to the named one after its first term. ``over`` is what its traffic adds up over, ``least_over`` what its least spend is for; ``advance``: its fees are
    charged before their month.
    """

    seller: str
    buyer: str
    zone: ZoneInfo
    currency: str
    versions: list[Version]
    over: str
    least_over: str = "buyer"
    advance: bool = False
    card: str = ""
    derived: Derived | None = None
    renews: bool = False

    def __post_init__(self) -> None:
        self.card = self.card or f"card-{self.buyer}"

    def numbers(self, *, named: bool) -> list[int]:
        """Of the versions of a card, the earliest first."""
        return [number for number, each in enumerate(self.versions) if each.named == named]

    def number_on(self, day: date, *, named: bool) -> int:
        """Of a card's version that holds on a day."""
        return max(number for number in self.numbers(named=named) if self.versions[number].day <= day)


@dataclass(eq=False)
class Subscription:
    """What a customer subscribes to, for a project of its own or for what no other takes."""

    name: str
    stretches: list[Stretch]
    ends_on: date | None = None
    project: str = ""


@dataclass
class Move:
    """Who moves, on which day, at which moment; the links that end with it, and those that begin, from above.

    ``early``: it is planned before what is subscribed to is changed. ``back``: it moves back on a day.
    """

    mover: str
    day: date
    at: datetime
    left: list[Link]
    later: list[Link]
    early: bool = False
    back: date | None = None
    back_at: datetime | None = None

    def is_left(self, link: Link, day: date) -> bool:
        """Whether somebody who moves does not buy over a link on a day, as it ended or did not begin yet."""
        away = self.day <= day < (self.back or date.max)
        return (among(link, self.left) and away) or (among(link, self.later) and not away)


@dataclass(frozen=True)
class ByHand:
    """What a seller charges by hand on a day, on a customer's subscription, in minor units."""

    link: Link
    customer: str
    subscription: str
    day: date
    amount: int


@dataclass(frozen=True)
class Terms:
    """An allowance that a seller gives a customer's subscription from a day on, in place of its tiers', in GiB."""

    link: Link
    customer: str
    subscription: str
    day: date
    allowance: int


@dataclass(frozen=True)
class CardAgreed:
    """By which card a seller sells a customer's subscription from a day on: the named one, or the usual one again."""

    link: Link
    customer: str
    subscription: str
    day: date
    named: bool


@dataclass(frozen=True)
class Assigned:
    """What falls to a subscription from a day on, up to another: that of a project, or of a resource."""

    subscription: str
    starts_on: date
    ends_on: date
    project: str | None = None
    resource: str | None = None

    def takes(self, project: str, resource: str) -> bool:
        return self.project in (None, project) and self.resource in (None, resource)


@dataclass
class Customer:
    """A tenant below one to three links, what it subscribes to and uses; perhaps it moves, or who sells to it.

    ``shared`` and ``shared_costs`` are its parts of what several have together, ``worked`` are seconds of a service of its
    reseller's own.
    """

    slug: str
    links: list[Link]
    subscriptions: list[Subscription]
    usage: list[Use] = field(default_factory=list)
    levels: list[Level] = field(default_factory=list)
    told: list[Told] = field(default_factory=list)
    costs: list[Cost] = field(default_factory=list)
    shared: list[Use] = field(default_factory=list)
    shared_costs: list[Cost] = field(default_factory=list)
    worked: list[Use] = field(default_factory=list)
    promises: list[Promise] = field(default_factory=list)
    assigned: list[Assigned] = field(default_factory=list)
    move: Move | None = None

    @property
    def all_links(self) -> list[Link]:
        """Those of before a move, and of after it."""
        return [*self.links, *(self.move.later if self.move else [])]

    @property
    def seller(self) -> str:
        """Who sells to it at the beginning."""
        return self.links[-1].seller

    @property
    def last_seller(self) -> str:
        """Who sells to it at the end."""
        return self.seller if self.move and self.move.back else self.seller_at(datetime.max.replace(tzinfo=UTC))

    def seller_at(self, moment: datetime) -> str:
        """Who sells to it at a moment."""
        move = self.move
        away = move is not None and move.at <= moment and not (move.back_at and move.back_at <= moment)
        return move.later[-1].seller if move and away and move.mover == self.slug else self.seller

    def bought(self, link: Link) -> list[tuple[datetime | None, datetime | None]]:
        """From when to when it buys over a link, as far as a move begins or ends that."""
        move = self.move
        if move and among(link, move.later):
            return [(move.at, move.back_at)]
        if move and among(link, move.left):
            return [(None, move.at), *([(move.back_at, None)] if move.back_at else [])]
        return [(None, None)]


def text(value: Fraction) -> str:
    return f"{Decimal(value.numerator) / Decimal(value.denominator):f}"


def among(link: Link, links: Sequence[Link]) -> bool:
    return any(each is link for each in links)


@dataclass
class Family:
    """Customers of one plan, below one seller or the next: they share links, and what adds up on these.

    ``later`` are the allowances of the plan's second version, if it has one, ``months`` its first term. ``trial`` are the
    days free of charge that the plan itself has, ``owner`` is whose plan it is: a reseller's own gives
    nothing where it buys, and has no fees there. ``withdrawn`` is a move that was planned and taken back.
    """

    plan: str
    allowances: dict[str, int]
    customers: list[Customer]
    trial: int = 0
    owner: str = "tarnwick"
    later: dict[str, int] | None = None
    months: int = 0
    withdrawn: Move | None = None
    by_hand: list[ByHand] = field(default_factory=list)
    terms: list[Terms] = field(default_factory=list)
    cards: list[CardAgreed] = field(default_factory=list)

    @property
    def links(self) -> list[Link]:
        """From above, each once."""
        found: list[Link] = []
        for customer in self.customers:
            found += [each for each in customer.all_links if not among(each, found)]
        return found + (self.withdrawn.later if self.withdrawn else [])

    @property
    def move(self) -> Move | None:
        return next((each.move for each in self.customers if each.move), None)

    @property
    def own_service(self) -> str:
        """What its reseller adds to the plan of its own."""
        return "" if self.owner == "tarnwick" else f"own-{self.plan}"

    @property
    def worked(self) -> bool:
        """Whether anything of it was used."""
        return any(each.worked for each in self.customers)

    def is_foreign(self, link: Link) -> bool:
        """Whether the plan is of somebody below who sells over a link."""
        return self.owner != "tarnwick" and link.seller == "tarnwick"

    def may_end(self, subscription: Subscription, day: date) -> bool:
        """Whether the first term is over by a day."""
        return day >= months_on(subscription.stretches[0].day, self.months)

    def given(self, stretch: Stretch) -> dict[str, int]:
        """The allowances of the plan's version that somebody subscribes to."""
        return (self.later or {}) if stretch.plan > 1 else self.allowances

    def cards_of(self, link: Link, customer: str, subscription: str) -> list[CardAgreed]:
        """What is agreed of a subscription's card on a link, from day to day."""
        of = (customer, subscription)
        return [each for each in self.cards if each.link is link and (each.customer, each.subscription) == of]

    def is_named(self, link: Link, customer: str, subscription: str, day: date) -> bool:
        """Whether it is sold by the named card on a day: what was agreed before a move is over with it."""
        [one] = [each for each in self.customers if each.slug == customer]
        [first] = [each.stretches[0].day for each in one.subscriptions if each.name == subscription]
        if link.renews and self.months and day >= months_on(first, self.months):
            return True
        if one.move and one.move.back and among(link, one.move.left) and day >= one.move.back:
            return False
        agreed = [each.named for each in self.cards_of(link, customer, subscription) if each.day <= day]
        return agreed[-1] if agreed else False

    def below(self, link: Link) -> list[Customer]:
        """Who buys over a link at some time."""
        return [each for each in self.customers if among(link, each.all_links)]
