"""A small market in which everything can be changed: two resellers, four tenants, cards of each kind, three feeds."""

from datetime import UTC, date, datetime
from decimal import Decimal

from gradumen.client import Client
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.worlds.joining import begun, join

TENANTS = {"ash": "oxbow", "birch": "oxbow", "cedar": "elder", "dune": "tarnwick"}
CURRENCIES = {"oxbow": "GBP", "elder": "EUR", "ash": "GBP", "birch": "GBP", "cedar": "EUR", "dune": "EUR"}
SERVICES = """
service: network
name: Network
category: Networking
subcategory: Network Infrastructure
attributes: {site: [north, south]}
meters:
  egress: {name: Data sent out, unit: byte, combine: sum}
---
service: disks
name: Disks
category: Storage
subcategory: Block Storage
meters:
  stored: {name: Stored, unit: byte-second, combine: level}
  peak: {name: Peak, unit: byte-second, combine: level, statistic: p95, window: day}
---
service: machines
name: Machines
category: Compute
subcategory: Virtual Machines
phases: [parked, awake]
meters:
  time: {name: Time, unit: piece-second, combine: held}
---
service: bought
name: Bought
category: Compute
subcategory: Virtual Machines
meters:
  cost: {name: Cost, unit: micro-EUR, combine: sum}
---
plan: open
name: Open
services: [network, disks, machines, bought]
tiers:
  - {tier: heath, name: Heath, allowances: {network/egress: 20 GiB}}
  - {tier: moor, name: Moor}
---
offer: open
to: all
"""
RATES = """
  - {rate: egress, meter: network/egress, per: GiB, over: buyer, blocks: [{to: 50, price: P5}, {price: P3}]}
  - {rate: egress-south, meter: network/egress, per: GiB, where: {site: south}, price: P2, minimum: 4}
  - {rate: egress-night, meter: network/egress, per: GiB, when: {from: "22:00", to: "06:00"}, price: P1, over: tenant}
  - {rate: stored, meter: disks/stored, per: GiB-hour, price: P2, committed: 900, over: tenant}
  - {rate: peak, meter: disks/peak, per: GiB-hour, price: P1}
  - {rate: awake, meter: machines/time, per: piece-hour, where: {phase: awake}, started: hour, price: P4}
  - {rate: parked, meter: machines/time, per: piece-hour, where: {phase: parked}, price: P1}
  - {rate: heath, fee: open/heath, price: P70}
  - {rate: moor, fee: open/moor, price: P90, every: quarter}
  - {rate: setup, fee: open/moor, price: P10, every: once}
"""
MARKUP = "  - {rate: resold, meter: bought/cost, per: EUR, markup: {percent: 8}}\n"
PROMISED = "  - {rate: promised, meter: promised/storage, per: GiB-month730, price: P1}\n"
LEAST = "  - {rate: least, commitment: 60, over: tenant}\n"
DISCOUNTS = "discounts: [{discount: off, name: Off, percent: 10}, {discount: less, name: Less, amount: 12}]\n"
SPREADS = "  - {rate: rent, spread: 900, by: network/egress}\n"


def card(slug: str, currency: str, buyers: str, first: date, price: Decimal, more: str = "", head: str = "") -> str:
    """A card whose prices are all in proportion to one."""
    rates = RATES + more
    for number in (90, 70, 10, 5, 4, 3, 2, 1):
        rates = rates.replace(f"P{number}", str(price * number))
    return (
        f"rate-card: {slug}\nname: {slug}\nfor: {buyers}\ncurrency: {currency}\nstarts-on: {first}\n{head}rates:{rates}"
    )


def derived(first: date, percent: int) -> str:
    return (
        f"rate-card: elder-eur\nname: Elder\nfor: tenants\ncurrency: EUR\nstarts-on: {first}\n"
        f"derived: {{base: tarnwick/resellers-eur, on-top: {{percent: {percent}}}}}\nrates: []\n"
    )


def cards(first: date, price: Decimal) -> dict[str, list[tuple[str, str]]]:
    """Of each seller the cards that it publishes, by name: what somebody pays, and what it costs the seller."""
    own = "overhead: 8\n"
    return {
        "tarnwick": [
            ("resellers-eur", card("resellers-eur", "EUR", "resellers", first, price, MARKUP + PROMISED)),
            ("resellers-gbp", card("resellers-gbp", "GBP", "resellers", first, price, MARKUP + LEAST)),
            ("tenants-eur", card("tenants-eur", "EUR", "tenants", first, price * 2, MARKUP + PROMISED) + DISCOUNTS),
            ("schools", card("schools", "EUR", "{segments: [education]}", first, price)),
            ("inside", card("inside", "EUR", "own-use", first, price / 2, MARKUP + SPREADS, own)),
        ],
        "oxbow": [
            ("oxbow-gbp", card("oxbow-gbp", "GBP", "tenants", first, price * 3, MARKUP + PROMISED + LEAST) + DISCOUNTS),
            ("friends", card("friends", "GBP", "named", first, price * 2)),
        ],
    }


def publish(client: Client, seller: str, *contents: str) -> None:
    client.catalogue.publish(
        seller, [CatalogueFile(name=f"{number}.yaml", content=each) for number, each in enumerate(contents)]
    )


def open_market(url: str, zone: str) -> dict[str, Client]:
    """All there before the first of August 2026, one reseller in a zone; gives the clients of its sellers."""
    provider = begun(url)
    provider.clock.set(datetime(2026, 6, 20, tzinfo=UTC), held=True)
    clients = {"tarnwick": provider}
    publish(provider, "tarnwick", SERVICES)
    for slug, of in (("oxbow", "Europe/London"), ("elder", zone)):
        provider.organisations.create(_organisation("tarnwick", "reseller", slug, of))
        clients[slug] = join(provider, url, slug)
    for tenant, seller in TENANTS.items():
        clients[seller].organisations.create(_organisation(seller, "tenant", tenant, "UTC"))
        for project in ("all", "barn"):
            clients[seller].projects.create(tenant, slug=project, name=project)
    provider.projects.create("tarnwick", slug="platform", name="Platform")
    first = date(2026, 8, 1)
    for seller, of_seller in cards(date(2026, 7, 1), Decimal("0.5")).items():
        publish(clients[seller], seller, *(content for _, content in of_seller))
    provider.clock.set(datetime(2026, 7, 20, tzinfo=UTC), held=True)
    publish(clients["elder"], "elder", "offer: open\nto: all\n", derived(first, 20))
    publish(clients["oxbow"], "oxbow", "offer: open\nto: all\n")
    for seller, client in clients.items():
        client.tax_rates.set(seller, country="IE", percent=Decimal(23), starts_on=date(2020, 1, 1), category="S")
    for slug in ("main", "second", "costs"):
        provider.feeds.create("tarnwick", slug=slug, name=slug)
    provider.imported_costs.set_meter("tarnwick/costs", "bought/cost")
    clients["oxbow"].feeds.create("oxbow", slug="own", name="Own")
    for tenant, seller in TENANTS.items():
        clients[seller].subscriptions.create(
            SubscriptionCreate(organisation=tenant, plan="open", tier="heath", name="First", starts_on=first)
        )
    return clients


def _organisation(parent: str, type: str, slug: str, zone: str) -> OrganisationCreate:
    return OrganisationCreate(
        parent=parent, type=type, slug=slug, name=slug, country="IE", currency=CURRENCIES[slug], billing_zone=zone
    )
