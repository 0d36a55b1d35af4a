"""Random customers over the interface, and what they owe by plain fractions; imports ``client`` and ``wire`` only.

Nothing here uses the product's arithmetic: days, months, blocks, shares and rounding are worked out anew, slowly.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from math import ceil
from random import Random
from typing import Any
from zoneinfo import ZoneInfo

from gradumen.client import Client
from gradumen.client.readings import reading_event
from gradumen.wire.billing import InvoiceBody, LinkPeriodBody
from gradumen.wire.catalogue import CatalogueFile
from gradumen.wire.organisations import OrganisationCreate
from gradumen.wire.subscriptions import SubscriptionChange, SubscriptionCreate

GIB = 1024**3
ZONES = ("Europe/Dublin", "Europe/Brussels", "America/Halifax", "Asia/Tokyo")
MINOR = {"EUR": 2, "GBP": 2, "JPY": 0}
FIRST, LAST = date(2026, 9, 1), date(2026, 10, 1)
"""The month under test."""


@dataclass(frozen=True)
class Stretch:
    """From a day on: tier, quantity, paused."""

    day: date
    tier: str
    quantity: int
    paused: bool


@dataclass(frozen=True)
class Version:
    """A card's version: the price of traffic in one of several ways, own allowance, commitment, bounds, fees.

    ``off`` is a percentage off everything.
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


@dataclass
class Link:
    """A seller with a buyer, its card, and the seller's zone."""

    seller: str
    buyer: str
    zone: ZoneInfo
    currency: str
    versions: list[Version]


@dataclass
class Customer:
    """A tenant of one to three links, what it subscribes to and what it uses (moment, bytes).

    ``advance``: its fees are charged before their month.
    """

    slug: str
    plan: str
    links: list[Link]
    stretches: list[Stretch]
    ends_on: date | None
    allowances: dict[str, int]
    advance: bool
    usage: list[tuple[datetime, int]] = field(default_factory=list)


def day_start(day: date, zone: ZoneInfo) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)


def seconds(start: datetime, end: datetime) -> int:
    return max(0, int((end - start).total_seconds()))


def spans(customer: Customer, link: Link) -> Iterator[tuple[Stretch, datetime, datetime]]:
    """Each stretch with the part of the month that it covers in the seller's zone."""
    stop = min(LAST, customer.ends_on or LAST)
    days = [*(each.day for each in customer.stretches[1:]), stop]
    for stretch, until in zip(customer.stretches, days, strict=True):
        start, end = max(stretch.day, FIRST), min(until, stop)
        if start < end:
            yield stretch, day_start(start, link.zone), day_start(end, link.zone)


def held(link: Link, number: int) -> tuple[datetime, datetime]:
    """From when to when a version holds in the month."""
    later = [each.day for each in link.versions[number + 1 :]]
    start = max(FIRST, link.versions[number].day)
    return day_start(start, link.zone), day_start(min([LAST, *later]), link.zone)


def price(version: Version, before: Fraction, size: Fraction, total: Fraction) -> Fraction:
    """What a quantity costs that follows on another, in GiB."""
    if version.kind == "lot":
        lot = version.ends[0]
        return (ceil((before + size) / lot) - ceil(before / lot)) * version.prices[0]
    if version.kind == "whole":
        reached = next((n for n, end in enumerate(version.ends) if total <= end), len(version.prices) - 1)
        return size * version.prices[reached]
    found, low = Fraction(0), Fraction(0)
    for high, each in zip([*map(Fraction, version.ends), before + size], version.prices, strict=True):
        found += max(Fraction(0), min(before + size, high) - max(before, low)) * each
        low = max(low, high)
    return found


def rounded(value: Fraction, places: int) -> Fraction:
    """Half away from zero."""
    scaled = abs(value) * 10**places
    whole = int(scaled + Fraction(1, 2))
    return Fraction(whole if value >= 0 else -whole, 10**places)


def owed(customer: Customer, link: Link) -> dict[tuple[str, int], Fraction]:
    """Exact amounts of a link's month by rate and number of the version."""
    whole = seconds(day_start(FIRST, link.zone), day_start(LAST, link.zone))
    found: dict[tuple[str, int], Fraction] = {}
    covered = list(spans(customer, link))
    for stretch, start, end in covered:
        for number, version in enumerate(link.versions):
            since, until = held(link, number)
            length = seconds(max(start, since), min(end, until))
            if length and not stretch.paused:
                exact = version.fees[stretch.tier] * stretch.quantity * length / whole
                key = (stretch.tier, number + 1)
                found[key] = found.get(key, Fraction(0)) + rounded(exact, 12)
    for number, amount in traffic(customer, link, covered, whole).items():
        found["traffic", number + 1] = amount
    for number, version in enumerate(link.versions):
        charged = sum((amount for (_, at), amount in found.items() if at == number + 1), Fraction(0))
        found["off", number + 1] = -charged * version.off / 100
    return {key: amount for key, amount in found.items() if amount}


def owed_in_advance(customer: Customer, link: Link) -> Fraction:
    """What the close of the month charges for the month after it: fees in advance, of what goes on."""
    last, version = customer.stretches[-1], link.versions[-1]
    if not customer.advance or customer.ends_on or last.paused:
        return Fraction(0)
    return rounded(version.fees[last.tier] * last.quantity, MINOR[link.currency])


def traffic(
    customer: Customer, link: Link, covered: list[tuple[Stretch, datetime, datetime]], whole: int
) -> dict[int, Fraction]:
    """What traffic costs in each version, blocks counting on from one to the next."""
    used = [Fraction(0) for _ in link.versions]
    for moment, quantity in customer.usage:
        inside = any(start <= moment < end for _, start, end in covered)
        for number in range(len(link.versions)):
            since, until = held(link, number)
            if inside and since <= moment < until:
                used[number] += quantity
    included = sum(
        int(customer.allowances.get(stretch.tier, 0) * 10**6) * seconds(start, end) // whole
        for stretch, start, end in covered
        if not stretch.paused
    )
    left = Fraction(included, 10**6)
    for number, quantity in enumerate(used):
        taken = min(left, quantity)
        used[number], left = quantity - taken, left - taken
    gone, net = Fraction(0), []
    for version, quantity in zip(link.versions, used, strict=True):
        most = Fraction(version.allowance * GIB)
        net.append(quantity - (min(gone + quantity, most) - min(gone, most)))
        gone += quantity
    holding = [
        number
        for number in range(len(link.versions))
        for stretch, start, end in covered
        if not stretch.paused and seconds(max(start, held(link, number)[0]), min(end, held(link, number)[1]))
    ]
    last = max(holding, default=-1)
    if last >= 0:
        net[last] += max(Fraction(0), link.versions[last].committed * GIB - sum(net))
    found: dict[int, Fraction] = {}
    before, running, charged, total = Fraction(0), Fraction(0), Fraction(0), sum(net) / GIB
    touched = [
        number
        for number, version in enumerate(link.versions)
        if covered_usage(customer, link, covered, number) or (number == last and version.committed)
    ]
    bounded = any(link.versions[n].minimum or link.versions[n].cap is not None for n in touched)
    for number in touched:
        version, size = link.versions[number], net[number] / GIB
        running += rounded(price(version, before, size, total), 12)
        before += size
        if bounded:
            limit = max(running, version.minimum)
            limit = limit if version.cap is None else min(limit, version.cap)
            found[number] = max(Fraction(0), limit - charged)
            charged = max(charged, limit)
        else:
            found[number] = running - charged
            charged = running
    return found


def covered_usage(
    customer: Customer, link: Link, covered: list[tuple[Stretch, datetime, datetime]], number: int
) -> bool:
    """Whether anything was used in a version at all, covered by an allowance or not."""
    since, until = held(link, number)
    return any(
        since <= moment < until and any(start <= moment < end for _, start, end in covered)
        for moment, _ in customer.usage
    )


def make_version(random: Random, day: date) -> Version:
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
        random.choice([0, 0, 0, 80]),
        Fraction(minimum),
        None if cap is None else Fraction(cap),
        {tier: Fraction(random.randint(0, 20_000), 100) for tier in ("heath", "moor")},
        random.choice([0, 0, 7, 15]),
    )


def text(value: Fraction) -> str:
    return f"{Decimal(value.numerator) / Decimal(value.denominator):f}"


def card_file(link: Link, customer: Customer, version: Version) -> CatalogueFile:
    """A version as the file that publishes it."""
    slug, plan = f"card-{customer.slug}", customer.plan
    rate: dict[str, Any] = {"rate": "traffic", "meter": "network/egress", "per": "GiB"}
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
    lines = [f"  - {_flow(each)}" for each in (rate, *fees)]
    head = [
        f"rate-card: {slug}",
        f"name: {slug}",
        f"for: {{organisations: [{link.buyer}]}}",
        f"currency: {link.currency}",
        f"starts-on: {version.day}",
        "rates:",
    ]
    off = [f"discounts: [{{discount: off, name: Off, percent: {version.off}}}]"] if version.off else []
    return CatalogueFile(name=f"{slug}.yaml", content="\n".join([*head, *lines, *off]) + "\n")


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
    links = []
    for seller, buyer in pairwise(chain):
        days = [date(2026, 1, 1), *([FIRST + timedelta(days=random.randint(1, 28))] if random.random() < 0.5 else [])]
        zone = ZoneInfo("Europe/Dublin" if seller == "tarnwick" else random.choice(ZONES))
        versions = [make_version(random, day) for day in days]
        links.append(Link(seller, buyer, zone, random.choice(list(MINOR)), versions))
    stretches = [Stretch(FIRST, random.choice(["heath", "moor"]), random.randint(1, 3), False)]
    for day in sorted(random.sample(range(2, 29), random.choice([0, 1, 1, 2]))):
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
    customer.usage = [make_use(random) for _ in range(random.randint(0, 12))]
    return customer


def make_use(random: Random) -> tuple[datetime, int]:
    """An hour in or around the month, and how much."""
    hour = datetime(2026, 8, 31, 12, tzinfo=UTC) + timedelta(hours=random.randint(0, 31 * 24))
    return hour, random.randint(1, 10 ** random.randint(3, 12))


def publish(sellers: dict[str, Client], customer: Customer) -> None:
    """Plan, offers and cards of a customer by the clients of its sellers, and its subscription with all its changes."""
    allowance = customer.allowances["heath"] // GIB
    own = f", allowances: {{network/egress: {allowance} GiB}}" if allowance else ""
    plan = (
        f"plan: {customer.plan}\nname: {customer.plan}\nservices: [network]\n"
        f"tiers: [{{tier: heath, name: Heath{own}}}, {{tier: moor, name: Moor}}]\n"
    )
    offer = CatalogueFile(name="offer.yaml", content=f"offer: {customer.plan}\n")
    for link in customer.links:
        written = [CatalogueFile(name="plan.yaml", content=plan)] if link.seller == "tarnwick" else []
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
        )
    )
    for before, after in pairwise(customer.stretches):
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
                "owner": f"{customer.slug}/all",
                "resource": "r",
                "meter": "network/egress",
                "quantity": str(quantity),
                "unit": "byte",
                "start": moment.isoformat(),
                "end": (moment + timedelta(hours=1)).isoformat(),
                "attributes": {},
            },
        )
        for number, (moment, quantity) in enumerate(customer.usage)
        if number >= since
    ]


def differences(
    expected: dict[tuple[str, int], Fraction], link: LinkPeriodBody | None, currency: str
) -> list[tuple[Any, ...]]:
    """Rates and versions whose lines do not come to what is owed, each line rounded once to the minor unit."""
    found: dict[tuple[str, int], list[Decimal]] = {}
    for line in link.lines if link else ():
        found.setdefault((line.rate, line.rate_card_version), []).append(line.amount)
    wrong = []
    for key in {*expected, *found}:
        amounts = found.get(key, [])
        slack = Fraction(len(amounts) or 1, 2 * 10 ** MINOR[currency])
        if abs(Fraction(sum(amounts, Decimal(0))) - expected.get(key, Fraction(0))) > slack:
            wrong.append((key, amounts, float(expected.get(key, 0))))
    return wrong


def billed(documents: list[InvoiceBody], buyer: str) -> Fraction:
    """What documents come to for a buyer, net."""
    return Fraction(sum((each.net for each in documents if each.buyer == buyer), Decimal(0)))
