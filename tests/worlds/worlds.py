"""Random customers, brought in over the interface; imports ``client`` and ``wire`` only."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from random import Random
from typing import Any
from zoneinfo import ZoneInfo

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate

GIB = 1024**3
ZONES = ("Europe/Dublin", "Europe/Brussels", "America/Halifax", "Asia/Kolkata", "Asia/Kathmandu", "Asia/Tokyo")
WHOLE_HOURS = [each for each in ZONES if each not in ("Asia/Kolkata", "Asia/Kathmandu")]
MINOR = {"EUR": 2, "GBP": 2, "JPY": 0}
PROJECTS = ("all", "barn")
FIRST, LAST = date(2026, 9, 1), date(2026, 10, 1)
"""The month under test."""


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

    ``off`` is a percentage off everything, ``spend`` the least that a month comes to after it. In a ``window`` traffic
    has another price, without bounds; composites are charged as their ``components`` or as the whole. ``once`` and
    ``quarter`` are fees of both tiers.
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


@dataclass
class Link:
    """A seller with a buyer, its card, over what its traffic adds up, and the seller's zone.

    Where somebody moves, it holds ``since`` a moment, or ``until`` one.
    """

    seller: str
    buyer: str
    zone: ZoneInfo
    currency: str
    versions: list[Version]
    over: str
    since: datetime | None = None
    until: datetime | None = None


@dataclass
class Customer:
    """A tenant of one to three links, what it subscribes to and what it uses; perhaps it moves, or who sells to it.

    ``advance``: its fees are charged before their month.
    """

    slug: str
    plan: str
    links: list[Link]
    stretches: list[Stretch]
    ends_on: date | None
    allowances: dict[str, int]
    advance: bool
    usage: list["Use"] = field(default_factory=list)
    moves_on: date | None = None
    mover: str = ""
    later: list[Link] = field(default_factory=list)
    """Those of after a move, from the provider down to who moves."""


@dataclass(frozen=True)
class Use:
    """Bytes sent out in a quarter of an hour by a project's resource; ``machine`` is a component of ``app``."""

    moment: datetime
    quantity: int
    project: str
    resource: str = "r"


def make_version(random: Random, day: date, over: str) -> Version:
    kind = random.choice(["flat", "blocks", "whole", "lot"])
    prices = tuple(Fraction(random.randint(1, 90_000), 10 ** random.randint(2, 5)) for _ in range(3))
    ends = tuple(sorted(random.sample(range(3, 400), 2)))
    count = {"flat": 1, "lot": 1}.get(kind, 3)
    minimum, cap = random.choice([(0, None), (0, None), (7, None), (0, 60), (3, 45)])
    return Version(
        day,
        kind,
        prices[:count],
        ends[:1] if kind == "lot" else ends[: count - 1],
        random.choice([0, 0, 15, 120]),
        0 if over == "project" else random.choice([0, 0, 0, 80]),
        Fraction(minimum),
        None if cap is None else Fraction(cap),
        {tier: Fraction(random.randint(0, 20_000), 100) for tier in ("heath", "moor")},
        random.choice([0, 0, 7, 15]),
        Fraction(random.choice([0, 0, 0, 90, 745])),
        make_window(random),
        random.random() < 0.5,
        Fraction(random.choice([0, 0, 35])),
        Fraction(random.choice([0, 0, 270])),
    )


def make_window(random: Random) -> Window | None:
    days = tuple(range(7))
    hours = random.choice([None, (days, 22, 6), ((5, 6), 0, 24), ((0, 4), 8, 18)])
    return None if hours is None else Window(*hours, Fraction(random.randint(0, 900), 1000))


def text(value: Fraction) -> str:
    return f"{Decimal(value.numerator) / Decimal(value.denominator):f}"


def card_file(link: Link, customer: Customer, version: Version) -> CatalogueFile:
    """A version as the file that publishes it."""
    slug, plan = f"card-{link.buyer}-{customer.slug}", customer.plan
    rate: dict[str, Any] = {"rate": "traffic", "meter": "network/egress", "per": "GiB", "over": link.over}
    blocks = [{"to": end, "price": text(each)} for end, each in zip(version.ends, version.prices, strict=False)]
    if version.kind == "flat":
        rate["price"] = text(version.prices[0])
    elif version.kind == "lot":
        rate["lots"] = {"of": version.ends[0], "price": text(version.prices[0])}
    else:
        rate["blocks"] = [*blocks, {"price": text(version.prices[-1])}]
        if version.kind == "whole":
            rate["at-reached-step"] = True
    for name in ("allowance", "committed"):
        if getattr(version, name):
            rate[name] = getattr(version, name)
    if version.minimum:
        rate["minimum"] = text(version.minimum)
    if version.cap is not None:
        rate["cap"] = text(version.cap)
    when = {"advance": "true"} if customer.advance else {}
    fees = [{"rate": tier, "fee": f"{plan}/{tier}", "price": text(each), **when} for tier, each in version.fees.items()]
    for every in ("once", "quarter"):
        if getattr(version, every):
            terms = {"every": every, "price": text(getattr(version, every)), **(when if every == "quarter" else {})}
            fees += [{"rate": f"{every}-{tier}", "fee": f"{plan}/{tier}", **terms} for tier in version.fees]
    least = [{"rate": "least", "commitment": text(version.spend)}] if version.spend else []
    lines = [f"  - {_flow(each)}" for each in (rate, *windowed(version, link.over), *fees, *least)]
    head = [
        f"rate-card: {slug}",
        f"name: {slug}",
        f"for: {{organisations: [{link.buyer}]}}",
        f"currency: {link.currency}",
        f"starts-on: {version.day}",
        f"composites: {'components' if version.components else 'whole'}",
        "rates:",
    ]
    off = [f"discounts: [{{discount: off, name: Off, percent: {version.off}}}]"] if version.off else []
    return CatalogueFile(name=f"{slug}.yaml", content="\n".join([*head, *lines, *off]) + "\n")


def windowed(version: Version, over: str) -> list[dict[str, Any]]:
    """The rate of a version's window, if it has one."""
    if version.window is None:
        return []
    window, names = version.window, ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
    when: dict[str, Any] = {} if len(window.days) == 7 else {"days": [names[day] for day in window.days]}
    if (window.start, window.end) != (0, 24):
        when |= {"from": f'"{window.start:02d}:00"', "to": f'"{window.end:02d}:00"'}
    rate = {"rate": "window", "meter": "network/egress", "per": "GiB", "when": when}
    return [{**rate, "price": text(window.price), "over": over}]


def _flow(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{name}: {_flow(each)}" for name, each in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_flow, value)) + "]"
    return str(value)


def make_customer(random: Random, number: int) -> Customer:
    """A tenant under the provider, or under one or two resellers of its own."""
    name, plan = f"customer-{number}", f"plan-{number}"
    between = [f"reseller-{number}", f"branch-{number}"][: random.choice([0, 1, 1, 2])]
    chain = ["tarnwick", *between, name]
    moves = len(between) > 0 and random.random() < 0.5
    zones = WHOLE_HOURS if moves else ZONES
    links = [make_link(random, seller, buyer, zones) for seller, buyer in pairwise(chain)]
    trial = random.choice([0, 0, 6, 14])
    stretches = [Stretch(FIRST, random.choice(["heath", "moor"]), random.randint(1, 3), False, bool(trial))]
    if trial:
        stretches.append(replace(stretches[0], day=FIRST + timedelta(days=trial), trial=False))
    for day in sorted(random.sample(range(trial + 1, 29), random.choice([0, 1, 1, 2]))):
        before = stretches[-1]
        kind = random.choice(["tier", "quantity", "pause"])
        stretches.append(
            Stretch(
                FIRST + timedelta(days=day),
                ({"heath": "moor", "moor": "heath"}[before.tier] if kind == "tier" else before.tier),
                random.randint(1, 4) if kind == "quantity" else before.quantity,
                not before.paused if kind == "pause" else before.paused,
            )
        )
    ends_on = LAST - timedelta(days=1) if random.random() < 0.2 else None
    allowances = {"heath": random.choice([0, 80 * GIB])}
    customer = Customer(name, plan, links, stretches, ends_on, allowances, random.random() < 0.25)
    use_more(random, customer, random.randint(0, 16))
    if moves:
        move(random, customer, number)
    return customer


def make_link(random: Random, seller: str, buyer: str, zones: Sequence[str]) -> Link:
    days = [date(2026, 1, 1), *([FIRST + timedelta(days=random.randint(1, 28))] if random.random() < 0.5 else [])]
    zone = ZoneInfo("Europe/Dublin" if seller == "tarnwick" else random.choice(zones))
    over = random.choice(["subscription", "project", "buyer", "tenant"])
    versions = [make_version(random, day, over) for day in days]
    return Link(seller, buyer, zone, random.choice(list(MINOR)), versions, over)


def move(random: Random, customer: Customer, number: int) -> None:
    """Let a customer, or one that sells to it, move in the month: under the provider or another reseller of it.

    Often on a day on which what the customer holds changes, or ends, or on the first of the next month.
    """
    changes = [each.day for each in customer.stretches[1:]]
    day = random.choice([LAST, *(FIRST + timedelta(days=random.randint(1, 28)) for _ in range(2))])
    customer.moves_on = random.choice(changes) if changes and random.random() < 0.3 else day
    if LAST > customer.moves_on > customer.stretches[-1].day and random.random() < 0.2:
        customer.ends_on = customer.moves_on
    at = datetime(customer.moves_on.year, customer.moves_on.month, customer.moves_on.day, tzinfo=customer.links[0].zone)
    left = customer.links[: random.randint(1, len(customer.links))]
    customer.mover = left[-1].buyer
    by_another = len(left) == 1 or random.random() < 0.7
    chain = ["tarnwick", *([f"other-{number}"] if by_another else []), customer.mover]
    customer.later = [make_link(random, seller, buyer, WHOLE_HOURS) for seller, buyer in pairwise(chain)]
    customer.later[-1].currency = left[-1].currency
    for link in left:
        link.until = at.astimezone(UTC)
    for link in customer.later:
        link.since = at.astimezone(UTC)


def use_more(random: Random, customer: Customer, times: int) -> None:
    """Some usage more, often in the hour of what is used already or beside it."""
    for _ in range(times):
        beside = random.choice(customer.usage).moment if customer.usage and random.random() < 0.5 else None
        moment = make_moment(random) if beside is None else beside + timedelta(minutes=15 * random.randint(-3, 3))
        quantity = random.randint(1, 10 ** random.randint(3, 12))
        resource = random.choice(["r", "app", "machine"])
        customer.usage.append(Use(moment, quantity, random.choice(PROJECTS), resource))


def make_moment(random: Random) -> datetime:
    """The start of a quarter of an hour in or around the month, often near one of its ends in some zone."""
    first, length = random.choice([(0, 31 * 24), (0, 24), (30 * 24, 24)])
    quarters = first * 4 + random.randint(0, length * 4)
    return datetime(2026, 8, 31, 12, tzinfo=UTC) + timedelta(minutes=15 * quarters)


def publish(sellers: dict[str, Client], customer: Customer) -> None:
    """Plan, offers and cards of a customer by the clients of its sellers, and its subscription with all its changes."""
    allowance = customer.allowances["heath"] // GIB
    own = f", allowances: {{network/egress: {allowance} GiB}}" if allowance else ""
    plan = (
        f"plan: {customer.plan}\nname: {customer.plan}\nservices: [network]\n"
        f"tiers: [{{tier: heath, name: Heath{own}}}, {{tier: moor, name: Moor}}]\n"
    )
    offer = CatalogueFile(name="offer.yaml", content=f"offer: {customer.plan}\n")
    for link in (*customer.links, *customer.later):
        written = [CatalogueFile(name="plan.yaml", content=plan)] if link is customer.links[0] else []
        sellers[link.seller].catalogue.publish(link.seller, [*written, offer])
        for version in link.versions:
            sellers[link.seller].catalogue.publish(link.seller, [card_file(link, customer, version)])
    direct = sellers[customer.links[-1].seller]
    first = customer.stretches[0]
    made = direct.subscriptions.create(
        SubscriptionCreate(
            organisation=customer.slug,
            plan=customer.plan,
            tier=first.tier,
            name="Range",
            quantity=first.quantity,
            starts_on=first.day,
            ends_on=customer.ends_on,
            trial_until=customer.stretches[1].day if first.trial else None,
        )
    )
    for before, after in pairwise(customer.stretches[1:] if first.trial else customer.stretches):
        direct.subscriptions.change(
            made.id,
            SubscriptionChange(
                starts_on=after.day,
                tier=None if after.tier == before.tier else after.tier,
                quantity=None if after.quantity == before.quantity else after.quantity,
                paused=None if after.paused == before.paused else after.paused,
            ),
        )


def organisation(parent: str, type: str, slug: str, currency: str, zone: str) -> OrganisationCreate:
    return OrganisationCreate(
        parent=parent, type=type, slug=slug, name=slug, country="IE", currency=currency, billing_zone=zone
    )


def events(customer: Customer, since: int = 0) -> list[dict[str, Any]]:
    """The customer's usage as readings, from the one of a number on."""
    return [
        reading_event(
            "/worlds",
            f"{customer.slug}-{number}",
            {
                "owner": f"{customer.slug}/{use.project}",
                "resource": use.resource,
                "meter": "network/egress",
                "quantity": str(use.quantity),
                "unit": "byte",
                "start": use.moment.isoformat(),
                "end": (use.moment + timedelta(minutes=15)).isoformat(),
                "attributes": {"component_of": "app"} if use.resource == "machine" else {},
            },
        )
        for number, use in enumerate(customer.usage)
        if number >= since
    ]
