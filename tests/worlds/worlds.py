"""Families of customers: who sells to whom at which prices, what is subscribed to, what is used, who moves."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from fractions import Fraction
from zoneinfo import ZoneInfo

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
    """The same day of a later month."""
    year, month = divmod(day.month - 1 + months, 12)
    return day.replace(year=day.year + year, month=month + 1)


FIRST = date.fromisoformat(f"{BEGIN}-01")
LAST = months_on(FIRST, COUNT)
DAYS = (LAST - FIRST).days
Month = tuple[date, date]
"""From its first day to that of the next."""
MONTHS: list[Month] = [(months_on(FIRST, number), months_on(FIRST, number + 1)) for number in range(COUNT)]


@dataclass(frozen=True)
class Stretch:
    """From a day on: tier, quantity, paused, free of charge as a trial."""

    day: date
    tier: str
    quantity: int
    paused: bool
    trial: bool = False


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

    ``off`` is a percentage off everything, ``less`` an amount of each subscription's after it, ``spend`` the least that
    a month comes to after both. In a ``window`` traffic has another price, without bounds; composites are charged as
    their ``components`` or as the whole. ``once`` and ``quarter`` are fees of both tiers, ``peaks`` prices of sampled
    meters, for an hour of a GiB; ``awake`` and ``parked`` prices of a machine's hour, awake by begun steps. Costs of a
    supplier are sold with a ``markup`` in percent, and once a ``fixed`` amount; ``promised`` is the price of a month
    (730 hours) of a GiB that a quota promises.
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


@dataclass
class Link:
    """A seller with a buyer, its card, and the seller's zone.

    ``over`` is what its traffic adds up over, ``least_over`` what its least spend is for; ``advance``: its fees are
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

    ``early``: it is planned before what is subscribed to is changed.
    """

    mover: str
    day: date
    at: datetime
    left: list[Link]
    later: list[Link]
    early: bool = False


@dataclass(frozen=True)
class ByHand:
    """What a seller charges by hand on a day, on a customer's subscription, in minor units."""

    link: Link
    customer: str
    subscription: str
    day: date
    amount: int


@dataclass(frozen=True)
class Use:
    """Bytes sent out in quarters of an hour by a project's resource; ``machine`` is a component of ``app``."""

    moment: datetime
    quantity: int | Fraction
    project: str
    resource: str = "r"
    quarters: int = 1


@dataclass(frozen=True)
class Level:
    """A level in GiB that a disk of a project holds for some quarters of an hour, of a sampled meter."""

    meter: str
    moment: datetime
    quantity: int
    project: str
    resource: str
    quarters: int


@dataclass(frozen=True)
class Told:
    """What is so of a machine from a moment on: of a project, in a phase, so many of them; or gone, without a phase."""

    moment: datetime
    resource: str
    phase: str
    level: int
    project: str
    number: int
    sequence: int = 0

    @property
    def order(self) -> tuple[datetime, bool, int, str]:
        """Of what is said about one moment the last holds."""
        return self.moment, bool(self.phase), self.sequence, f"{self.number:04}"


@dataclass(frozen=True)
class Promise:
    """A limit of storage in GiB that a customer, or a project of it, is given at a moment."""

    moment: datetime
    limit: int
    project: str = ""


@dataclass(frozen=True)
class Cost:
    """What a supplier states of a day, in hundredths of a currency, in a billing month that may be another one."""

    day: date
    month: date
    amount: int | Fraction
    currency: str
    project: str
    resource: str
    category: str = "Usage"

    def day_in(self, month: Month) -> date:
        """Its day inside the month in which it counts."""
        return min(max(self.day, month[0]), month[1] - timedelta(days=1))


EXCHANGE = {
    ("GBP", "EUR"): [(date(2026, 1, 1), Fraction(23, 20)), (FIRST + timedelta(days=20), Fraction(57, 50))],
    ("JPY", "EUR"): [(FIRST + timedelta(days=12), Fraction(61, 10000))],
    ("EUR", "GBP"): [(date(2026, 1, 1), Fraction(87, 100)), (FIRST + timedelta(days=40), Fraction(22, 25))],
    ("EUR", "JPY"): [(FIRST + timedelta(days=7), Fraction(1601, 10)), (FIRST + timedelta(days=35), Fraction(163))],
}
"""What the provider has agreed; its resellers' euros are worth a tenth more, and yen not known to them."""


def exchange_of(seller: str) -> dict[tuple[str, str], list[tuple[date, Fraction]]]:
    if seller == "tarnwick":
        return EXCHANGE
    return {("EUR", "GBP"): [(day, rate * 11 / 10) for day, rate in EXCHANGE["EUR", "GBP"]]}


def worth(seller: str, into: str, day: date, currency: str = "EUR") -> Fraction | None:
    """What a unit of a currency is worth to a seller on a day; None where it has not said so."""
    if currency == into:
        return Fraction(1)
    rates = [rate for first, rate in exchange_of(seller).get((currency, into), []) if first <= day]
    return rates[-1] if rates else None


@dataclass(frozen=True)
class Sampled:
    """How a meter is sampled: the statistic of a resource's hours in a window, and what counts of several resources."""

    statistic: str
    window: str
    across: str

    @property
    def units(self) -> tuple[str, str, str]:
        """What usage is counted in, and how, what a reading is in, and what a price is for."""
        if self.across == "distinct":
            return "piece, combine: sum", "piece", "piece"
        return "byte-second, combine: level", "GiB", "GiB-hour"


SAMPLED = {
    "daily": Sampled("p95", "day", "sum"),
    "highest": Sampled("max", "period", "max"),
    "monthly": Sampled("p95", "period", "sum"),
    "mean": Sampled("mean", "day", "max"),
    "hourly": Sampled("max", "hour", "max"),
    "counted": Sampled("sum", "day", "distinct"),
}


@dataclass(frozen=True)
class Terms:
    """An allowance that a seller gives a customer's subscription from a day on, in place of its tiers', in GiB."""

    link: Link
    customer: str
    subscription: str
    day: date
    allowance: int


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

    ``shared`` and ``shared_costs`` are its parts of what several have together.
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
        moved = self.move is not None and self.move.mover == self.slug
        return self.move.later[-1].seller if self.move and moved else self.seller

    def since(self, link: Link) -> datetime | None:
        """When it begins to buy over a link that it comes to by a move."""
        return self.move.at if self.move and among(link, self.move.later) else None

    def until(self, link: Link) -> datetime | None:
        """When it ends to buy over a link that it leaves by a move."""
        return self.move.at if self.move and among(link, self.move.left) else None


def among(link: Link, links: Sequence[Link]) -> bool:
    return any(each is link for each in links)


@dataclass
class Family:
    """Customers of one plan, below one seller or the next: they share links, and what adds up on these.

    ``withdrawn`` is a move that was planned and taken back.
    """

    plan: str
    allowances: dict[str, int]
    customers: list[Customer]
    withdrawn: Move | None = None
    by_hand: list[ByHand] = field(default_factory=list)
    terms: list[Terms] = field(default_factory=list)

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

    def below(self, link: Link) -> list[Customer]:
        """Who buys over a link at some time."""
        return [each for each in self.customers if among(link, each.all_links)]
