"""A small world for tests, made through the client: a provider, a reseller, three tenants."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event
from gradumen.core.permissions import Role
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.access.sessions import SetUp
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate

PASSWORD = "a long enough password"
GIB = 1024**3

SERVICES = """
service: compute
name: Compute
category: Compute
subcategory: Virtual Machines
attributes: {size: [small, large]}
meters:
  vcpu: {name: Processors, unit: vCPU-second, counted: vCPU, combine: level}
---
service: network
name: Network
category: Networking
subcategory: Network Infrastructure
meters:
  egress: {name: Data sent out, unit: byte, combine: sum}
---
plan: open-range
name: Open Range
services: [compute, network]
tiers:
  - {tier: heath, name: Heath, allowances: {network/egress: 10 GiB}}
  - {tier: moor, name: Moor}
"""


OFFERS = """
offer: open-range
to: all
"""


def rate_card(slug: str, currency: str, buyers: str, factor: str, starts_on: str = "2026-01-01") -> str:
    """A card with all three kinds of rates."""
    f = Decimal(factor)
    return f"""
rate-card: {slug}
name: Card {slug}
for: {buyers}
currency: {currency}
starts-on: {starts_on}
rates:
  - {{rate: vcpu, meter: compute/vcpu, per: vCPU-hour, price: {f * Decimal("0.02")}}}
  - {{rate: vcpu-large, meter: compute/vcpu, where: {{size: large}}, per: vCPU-hour, price: {f * Decimal("0.017")}}}
  - rate: egress
    meter: network/egress
    per: GiB
    blocks:
      - {{to: 50, price: {f * Decimal("0.07")}}}
      - {{to: 200, price: {f * Decimal("0.05")}}}
      - {{price: {f * Decimal("0.03")}}}
  - {{rate: heath, fee: open-range/heath, price: {f * Decimal("19.90")}}}
  - {{rate: moor, fee: open-range/moor, price: {f * Decimal("79")}}}
"""


NIGHT = (
    '  - {{rate: night, meter: compute/vcpu, when: {{from: "22:00", to: "06:00"}}, per: vCPU-hour, price: {price}}}\n'
)
"""A rate more of a card."""


def files(*contents: str) -> list[CatalogueFile]:
    """Contents as files."""
    return [CatalogueFile(name=f"file-{index}.yaml", content=content) for index, content in enumerate(contents)]


def moment(text: str) -> datetime:
    """A UTC moment of ``YYYY-MM-DD[ HH:MM]``."""
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def reading(identity: str, **changes: Any) -> dict[str, Any]:
    """An event of a reading that is fine, with changes; a change to None leaves a field out."""
    data: dict[str, Any] = {
        "owner": "saltmarsh/booking",
        "resource": "vm-1",
        "meter": "compute/vcpu",
        "quantity": "4",
        "unit": "vCPU",
        "start": "2026-09-10T00:00:00Z",
        "end": "2026-09-10T06:00:00Z",
        "attributes": {"size": "small"},
    }
    data.update(changes)
    return reading_event(
        "/sites/north-fell", identity, {key: value for key, value in data.items() if value is not None}
    )


def egress(identity: str, quantity: int, **changes: Any) -> dict[str, Any]:
    """An event of bytes sent out."""
    return reading(identity, meter="network/egress", quantity=str(quantity), unit="byte", attributes={}, **changes)


@dataclass
class World:
    """The world, with a signed-in client of each user."""

    url: str
    cloud: str = ""
    """Where a cloud that makes accounts is reached."""
    clients: dict[str, Client] = field(default_factory=dict)
    sessions: dict[str, tuple[dict[str, str], str]] = field(default_factory=dict)
    """Cookies and token of sessions that there are already, by user: a password takes long to check."""

    def user(self, name: str) -> Client:
        """A client signed in as one of `EMAILS`, or by another address; made once."""
        if name not in self.clients:
            client = self.clients[name] = Client(self.url)
            http = client.connection.http
            if name in self.sessions:
                cookies, http.headers["X-CSRF-Token"] = self.sessions[name]
                http.cookies.update(cookies)
            else:
                client.sign_in(EMAILS.get(name, name), PASSWORD)
        return self.clients[name]

    def signed_in(self) -> dict[str, tuple[dict[str, str], str]]:
        """The sessions of the clients, for another world of the same rows."""
        https = {name: client.connection.http for name, client in self.clients.items()}
        return {name: (dict(http.cookies), http.headers["X-CSRF-Token"]) for name, http in https.items()}

    @property
    def mara(self) -> Client:
        """The provider's administrator."""
        return self.user("mara")

    def reconnect(self) -> None:
        """Forget all connections, as after a restart of the service."""
        for client in self.clients.values():
            client.close()
        self.clients.clear()

    def send(self, *events: dict[str, Any], feed: str = "tarnwick/north-fell") -> None:
        """Send readings that must all be accepted or known."""
        outcome = self.mara.readings.send(feed, events)
        assert outcome.refused == 0, [item.reason for item in outcome.outcomes if item.reason]
        self.settle()

    def settle(self) -> None:
        """Wait until all that came in is counted."""
        assert not self.mara.usage.sum("tarnwick", "2026-09", limit=1, wait=60).waiting

    def close(self, seller: str, user: str, period: str, *, issue: bool = True) -> list[InvoiceBody]:
        """Run a seller's bill run and issue its drafts; gives them with lines, by buyer."""
        client = self.user(user)
        run = client.bill_runs.wait(client.bill_runs.start(seller, period).id)
        assert run.state == "done", run.problem
        drafts = sorted(client.invoices.list(state="draft", seller=seller), key=lambda each: each.buyer)
        found = [client.invoices.issue(draft.id) if issue else client.invoices.get(draft.id) for draft in drafts]
        return sorted(found, key=lambda each: each.buyer)


EMAILS = {
    "mara": "mara@tarnwick.example",
    "finn": "finn@tarnwick.example",
    "oda": "oda@tarnwick.example",
    "edda": "edda@oxbow.example",
    "piers": "piers@oxbow.example",
    "ines": "ines@saltmarsh.example",
    "vera": "vera@saltmarsh.example",
    "wynn": "wynn@thistledown.example",
    "una": "una@quillstone.example",
}
MEMBERS = {
    "finn": ("tarnwick", Role.FINANCE),
    "oda": ("tarnwick", Role.VIEWER),
    "edda": ("oxbow", Role.ADMINISTRATOR),
    "piers": ("oxbow", Role.FINANCE),
    "ines": ("saltmarsh", Role.ADMINISTRATOR),
    "vera": ("saltmarsh", Role.VIEWER),
    "wynn": ("thistledown", Role.ADMINISTRATOR),
    "una": ("quillstone", Role.FINANCE),
}


INVITERS = {"piers": "edda", "vera": "ines"}
"""Who invites those that are not the first of their organisation; for all others the provider does."""


def join(
    world: World, inviter: str, organisation: str, email: str, role: Role, programs: Sequence[ProgramPlan] = ()
) -> None:
    """Make somebody a member: invited by one who may, accepted as a new user."""
    invited = world.user(inviter).invitations.create(organisation, email=email, role=role, programs=programs)
    assert invited.secret is not None
    with Client(world.url) as anybody:
        anybody.invitations.accept(invited.secret, name=email.partition("@")[0].title(), password=PASSWORD)


def make_world(url: str, code: str) -> World:
    """Set up the provider and everybody below it, as of 5 October 2026."""
    with Client(url) as client:
        client.set_up(
            SetUp(
                code=code,
                slug="tarnwick",
                name="Tarnwick Cloud",
                country="IE",
                currency="EUR",
                billing_zone="Europe/Dublin",
                email=EMAILS["mara"],
                user_name="Mara Fell",
                password=PASSWORD,
            )
        )
    world = World(url)
    mara = world.mara
    mara.clock.set(moment("2026-10-05"), held=True)
    for parent, type, slug, name, country, currency, zone in (
        ("tarnwick", "reseller", "oxbow", "Oxbow Managed IT", "GB", "GBP", "Europe/London"),
        ("tarnwick", "tenant", "quillstone", "Quillstone Observatory", "IE", "EUR", "Europe/Dublin"),
        ("oxbow", "tenant", "saltmarsh", "Saltmarsh Ferries", "GB", "GBP", "Europe/London"),
        ("oxbow", "tenant", "thistledown", "Thistledown Clinic", "GB", "GBP", "Europe/London"),
    ):
        mara.organisations.create(
            OrganisationCreate(
                parent=parent, type=type, slug=slug, name=name, country=country, currency=currency, billing_zone=zone
            )
        )
    for user, (organisation, role) in MEMBERS.items():
        join(world, INVITERS.get(user, "mara"), organisation, EMAILS[user], role)
    for organisation, slug in (
        ("saltmarsh", "booking"),
        ("saltmarsh", "harbour"),
        ("thistledown", "records"),
        ("quillstone", "archive"),
        ("tarnwick", "own"),
    ):
        mara.projects.create(organisation, slug=slug, name=slug.title())
    mara.catalogue.publish(
        "tarnwick",
        files(
            SERVICES,
            OFFERS,
            rate_card("tenants-eur", "EUR", "tenants", "1"),
            rate_card("resellers-gbp", "GBP", "resellers", "0.7"),
            rate_card("own-cost", "EUR", "own-use", "0.4"),
        ),
    )
    world.user("edda").catalogue.publish("oxbow", files(OFFERS, rate_card("oxbow-gbp", "GBP", "any", "0.95")))
    for user, seller, country, percent, category in (
        ("mara", "tarnwick", "IE", "23", "S"),
        ("mara", "tarnwick", "GB", "0", "O"),
        ("edda", "oxbow", "GB", "20", "S"),
    ):
        world.user(user).tax_rates.set(
            seller, country=country, percent=Decimal(percent), starts_on=date(2020, 1, 1), category=category
        )
    mara.feeds.create("tarnwick", slug="north-fell", name="North Fell")
    for user, organisation, tier in (
        ("edda", "saltmarsh", "heath"),
        ("mara", "quillstone", "moor"),
        ("mara", "tarnwick", "moor"),
    ):
        world.user(user).subscriptions.create(
            SubscriptionCreate(
                organisation=organisation, plan="open-range", tier=tier, name="Open Range", starts_on=date(2026, 8, 1)
            )
        )
    return world


RUBEN = "ruben@bluefern.example"


def add_bluefern(world: World) -> None:
    """A second reseller beside Oxbow, in Brussels, that sells the same; its administrator is `RUBEN`."""
    world.mara.organisations.create(
        OrganisationCreate(
            parent="tarnwick", type="reseller", slug="bluefern", name="Bluefern Hosting", country="BE", currency="EUR",
            billing_zone="Europe/Brussels",
        )
    )  # fmt: skip
    join(world, "mara", "bluefern", RUBEN, Role.ADMINISTRATOR)
    world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-eur", "EUR", "resellers", "0.6")))
    world.user(RUBEN).catalogue.publish("bluefern", files(OFFERS, rate_card("bluefern-gbp", "GBP", "any", "0.9")))
    world.user(RUBEN).tax_rates.set(
        "bluefern", country="GB", percent=Decimal(0), starts_on=date(2020, 1, 1), category="O"
    )


def world_amounts(invoices: list[InvoiceBody]) -> dict[str, Decimal]:
    """Net by buyer."""
    return {each.buyer: each.net for each in invoices}


@contextmanager
def closing(world: World) -> Iterator[World]:
    """Close the world's clients at the end."""
    try:
        yield world
    finally:
        world.reconnect()
