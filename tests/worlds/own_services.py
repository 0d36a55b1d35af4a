"""A reseller's own service in its own plan: what it is sold for below the reseller, and what it costs the reseller."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from datetime import date, timedelta
from fractions import Fraction
from random import Random
from typing import Any

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event
from gradumen.wire.catalogue.catalogue import CatalogueFile
from tests.worlds.making import make_moment
from tests.worlds.spans import ZERO, Cell, Span, cell_of, rounded, spans
from tests.worlds.used import Month, Use
from tests.worlds.worlds import DAYS, FIRST, PROJECTS, QUARTER, Customer, Family, Link, Version, text

Cost = dict[tuple[str, str, str, int], Fraction]
"""By customer, subscription, rate and version (from one)."""


def work_more(random: Random, customer: Customer) -> None:
    """Seconds that are worked for a customer."""
    for _ in range(random.randint(0, 12)):
        quantity = random.randint(1, 10 ** random.randint(2, 7))
        customer.worked.append(
            Use(make_moment(random), quantity, random.choice(PROJECTS), random.choice(["r", "desk"]))
        )


def service_file(family: Family) -> CatalogueFile:
    slug = family.own_service
    content = (
        f"service: {slug}\nname: {slug}\ncategory: Other\nsubcategory: Other (Other)\n"
        "meters:\n  worked: {name: Worked, unit: second, combine: sum}\n"
    )
    return CatalogueFile(name="service.yaml", content=content)


def work_events(family: Family, customer: Customer) -> list[dict[str, Any]]:
    return [
        reading_event(
            "/worlds",
            f"{customer.slug}-worked-{number}",
            {
                "owner": f"{customer.slug}/{use.project}",
                "resource": use.resource,
                "meter": f"{family.own_service}/worked",
                "quantity": str(use.quantity),
                "unit": "second",
                "start": use.moment.isoformat(),
                "end": (use.moment + QUARTER).isoformat(),
                "attributes": {},
            },
        )
        for number, use in enumerate(customer.worked)
    ]


def worked(family: Family, link: Link, covered: list[Span], month: Month) -> Iterator[tuple[str, dict[Cell, Fraction]]]:
    """What is worked costs on each link from the reseller down, by the hour."""
    if not family.own_service or family.is_foreign(link):
        return
    used: dict[Cell, Fraction] = defaultdict(Fraction)
    for customer in family.below(link):
        for use in customer.worked:
            cell = cell_of(customer, use, link, covered, month)
            if cell is not None:
                used[cell] += use.quantity
    yield "worked", {cell: rounded(size * link.versions[cell[0]].worked / 3600, 12) for cell, size in used.items()}


def make_cost(random: Random, family: Family) -> Link:
    """The reseller's own cost of an hour, in one or two versions, with what is put on top."""
    [sold, *_] = [each for each in family.links if each.seller == family.owner]
    [bought] = [each for each in family.links if each.buyer == family.owner]
    days = [date(2026, 1, 1), *([FIRST + timedelta(days=random.randint(1, DAYS - 1))] if random.random() < 0.6 else [])]
    versions = [replace(_cost_version(day), worked=_price(random), overhead=random.choice([0, 9])) for day in days]
    return Link(
        family.owner, family.owner, sold.zone, bought.currency, versions, "subscription", card=f"cost-{family.owner}"
    )


def _price(random: Random) -> Fraction:
    return Fraction(random.randint(1, 9_000), 100)


def _cost_version(day: date) -> Version:
    return Version(day, "flat", (ZERO,), (), 0, 0, ZERO, None, {}, 0, ZERO)


def publish_cost(seller: Client, family: Family, cost: Link) -> None:
    for version in cost.versions:
        content = (
            f"rate-card: {cost.card}\nname: {cost.card}\nfor: own-use\ncurrency: {cost.currency}\n"
            f"starts-on: {version.day}\noverhead: {version.overhead}\n"
            f"rates:\n  - {{rate: worked, meter: {family.own_service}/worked, per: hour, price: {text(version.worked)}}}\n"
        )
        seller.catalogue.publish(family.owner, [CatalogueFile(name="cost.yaml", content=content)])


def cost_of_work(family: Family, cost: Link, month: Month) -> Cost:
    """What all that is worked costs the reseller, with what is put on top."""
    found: Cost = defaultdict(Fraction)
    sold = [each for each in family.links if each.seller == family.owner]
    covered = [
        span for link in sold for customer in family.below(link) for span in spans(family, customer, link, month)
    ]
    paid = [replace(span, named=False) for span in covered]
    used: dict[Cell, Fraction] = defaultdict(Fraction)
    for customer in family.customers:
        for use in customer.worked:
            cell = cell_of(customer, use, cost, paid, month)
            if cell is not None:
                used[cell] += use.quantity
    for (number, place), quantity in used.items():
        version, span = cost.versions[number], paid[place]
        amount = rounded(quantity * version.worked / 3600, 12)
        key = (span.customer.slug, span.subscription.name)
        found[*key, "worked", number + 1] += amount
        found[*key, "overhead", number + 1] += amount * version.overhead / 100
    return {key: amount for key, amount in found.items() if amount}
