"""The demo's ``large`` size: 1,000 organisations in chains of up to three links, millions of hours in one month.

Sellers, catalogues and one tenant of each seller are made through the interface; the other tenants are copies of these
in the database, and so is usage, packed as the worker would have packed it.
"""

import importlib.resources
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any
from uuid import uuid4

import ingest
import MySQLdb.connections

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event
from gradumen.core.metering.packed_days import pack
from gradumen.core.permissions import Role
from gradumen.demo.history import History
from gradumen.store.database_accounts import administrator
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate

PERIOD, FIRST, DAYS = "2026-09", date(2026, 9, 1), 30
FIRST_LEVEL, SECOND_LEVEL, TENANTS = 20, 5, 962
LARGEST_SHARE = Decimal("0.04")
"""What one tenant has of all usage."""
FEED = "tarnwick/north-fell"
METERS = (
    ("compute/vcpu", "vCPU", {"site": "north-fell", "size": "small"}, 3600 * 10**6),
    ("compute/memory", "GiB", {"site": "north-fell", "size": "small"}, 2**30 * 3600 * 10**6),
    ("compute/vcpu", "vCPU", {"site": "south-quay", "size": "large"}, 3600 * 10**6),
    ("block-storage/capacity", "GiB", {"site": "north-fell", "disk": "fast"}, 2**30 * 3600 * 10**6),
    ("network/egress", "GiB", {"site": "north-fell"}, 2**20 * 10**6),
)
"""Meter, unit, attributes and millionths of base units in an hour of one."""


@dataclass(frozen=True, slots=True)
class Large:
    """What was made: sellers with a user who may bill for each, tenants and packed rows."""

    history: History
    socket: Path
    signers: dict[str, str]
    tenants: int
    rows: int


@contextmanager
def made(hours: int) -> Iterator[Large]:
    """A service with so many hourly values in September; no charges of them are current, and the worker leaves them."""
    with ingest.running() as (service, history):
        history.mara.clock.set(datetime(2026, 9, 1, tzinfo=UTC), held=True)
        _grant(history.mara, "tarnwick", 60_000)
        signers = {"tarnwick": "mara@tarnwick.example", **_resellers(history)}
        templates = [_template(history, seller, signer) for seller, signer in signers.items()]
        history.mara.clock.set(datetime(2026, 9, 2, tzinfo=UTC), held=True)
        _one_reading_of_each(history)
        socket = service.data / "database" / "db.sock"
        with connected(socket) as connection:
            projects = _copies(connection, templates)
            history.mara.clock.set(datetime(2026, 10, 20, tzinfo=UTC), held=True)
            history.mara.spend.period_so_far("tarnwick", PERIOD, wait=600)
            rows = _usage(connection, projects, hours)
            make_stale(connection)
        yield Large(history, socket, signers, len(projects), rows)


def connected(socket: Path) -> MySQLdb.connections.Connection:
    """A connection that may do everything."""
    return MySQLdb.connect(unix_socket=str(socket), user=administrator(), database="gradumen", local_infile=True)


def make_stale(connection: MySQLdb.connections.Connection) -> None:
    """All charges of the month are to be rated, by a close alone."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE pairs SET wanted = wanted + 1, stale_since = UTC_TIMESTAMP(6), not_before = '2099-01-01' "
            "WHERE period = %s",
            (PERIOD,),
        )
    connection.commit()


def _resellers(history: History) -> dict[str, str]:
    """Resellers of the provider, and of some of those."""
    folder = importlib.resources.files("gradumen.demo") / "catalogue"
    signers: dict[str, str] = {}
    for number in range(FIRST_LEVEL + SECOND_LEVEL):
        second = number >= FIRST_LEVEL
        slug = f"dealer-{number:02d}"
        parent = f"dealer-{number - FIRST_LEVEL:02d}" if second else "tarnwick"
        source, own = ("pebble-and-pine", "pebble") if second else ("bluefern", "bluefern")
        country, currency, zone = ("SE", "SEK", "Europe/Stockholm") if second else ("BE", "EUR", "Europe/Brussels")
        signer = history.signed_in(signers.get(parent, "mara@tarnwick.example"))
        signer.organisations.create(
            OrganisationCreate(
                parent=parent, type="reseller", slug=slug, name=slug.title(), country=country, currency=currency,
                billing_zone=zone,
            )
        )  # fmt: skip
        _grant(signer, slug, 100 if second else 400)
        signers[slug] = f"desk@{slug}.example"
        history.join(signer, slug, signers[slug], "Desk", Role.ADMINISTRATOR)
        content = (folder / f"{source}.yaml").read_text().replace("{first-day}", FIRST.isoformat())
        texts = [text for text in content.replace(own, slug).split("\n---\n") if not _is_labour(text)]
        desk = history.signed_in(signers[slug])
        desk.catalogue.publish(slug, [CatalogueFile(name="own.yaml", content="\n---\n".join(texts))])
        for buyer in ("SE",) if second else ("BE", "SE"):
            desk.tax_rates.set(slug, country=buyer, percent=Decimal(21), starts_on=date(2020, 1, 1), category="S")
    return signers


def _grant(giver: Client, organisation: str, processors: int) -> None:
    giver.quotas.grant(organisation, "processors", Decimal(processors))
    giver.quotas.grant(organisation, "storage", Decimal(200 * processors))


def _is_labour(text: str) -> bool:
    return "labour" in text or "helping-hands" in text


def _template(history: History, seller: str, signer: str) -> str:
    """A tenant of a seller with a project and a subscription."""
    client, slug = history.signed_in(signer), f"{seller}-customer"
    country, currency = {"tarnwick": ("IE", "EUR")}.get(seller, ("BE", "EUR"))
    if int(seller.rpartition("-")[2] if seller.startswith("dealer") else 0) >= FIRST_LEVEL:
        country, currency = "SE", "SEK"
    client.organisations.create(
        OrganisationCreate(
            parent=seller, type="tenant", slug=slug, name=slug.title(), country=country, currency=currency
        )
    )
    _grant(client, slug, 48)
    client.projects.create(slug, slug="work", name="Work", cost_centre="W-1")
    client.subscriptions.create(
        SubscriptionCreate(organisation=slug, plan="open-range", tier="moor", name="Open Range", starts_on=FIRST)
    )
    return slug


def _one_reading_of_each(history: History) -> None:
    """Attribute sets and resources come to be by readings."""
    events = [
        reading_event(
            "/sites/north-fell", f"first-{number}",
            {
                "owner": "tarnwick-customer/work", "resource": f"first-{number}", "meter": meter, "quantity": "1",
                "unit": unit, "start": "2026-09-01T00:00:00Z", "end": "2026-09-01T01:00:00Z", "attributes": attributes,
            },
        )
        for number, (meter, unit, attributes, _) in enumerate(METERS)
    ]  # fmt: skip
    client = history.signed_in("meters@tarnwick.example")
    for outcome in client.readings.send_all(FEED, events):
        if outcome.refused:
            raise SystemExit(f"the first readings were refused: {outcome.outcomes}")


def _copies(connection: MySQLdb.connections.Connection, templates: list[str]) -> list[int]:
    """Copies of the templates until there are as many tenants as wanted; gives the numbers of all their projects."""
    cursor = connection.cursor()
    for number in range(TENANTS - len(templates)):
        template = templates[number % len(templates)]
        slug = f"{template}-{number // len(templates) + 1:02d}"
        organisation, project, subscription = (str(uuid4()) for _ in range(3))
        cursor.execute("SELECT id FROM organisations WHERE slug = %s", (template,))
        (source,) = cursor.fetchone() or ()
        _copy(cursor, "organisations", "id = %s", source, id=organisation, slug=slug, name=slug.title())
        _copy(cursor, "parent_edges", "child_id = %s", source, child_id=organisation)
        _copy(cursor, "projects", "organisation_id = %s", source, id=project, organisation_id=organisation, number=None)
        _copy(cursor, "subscriptions", "organisation_id = %s", source, id=subscription, organisation_id=organisation)
        cursor.execute(
            "SELECT l.id, l.buyer_id FROM supply_lines l JOIN subscriptions s ON s.id = l.subscription_id "
            "WHERE s.organisation_id = %s",
            (source,),
        )
        for line, buyer in cursor.fetchall():
            mine = organisation if buyer == source else buyer
            _copy(cursor, "supply_lines", "id = %s", line, id=str(uuid4()), subscription_id=subscription, buyer_id=mine)
    cursor.execute("UPDATE revisions SET token = UUID()")
    connection.commit()
    cursor.execute(
        "SELECT p.number FROM projects p JOIN organisations o ON o.id = p.organisation_id "
        "WHERE o.slug LIKE '%%-customer%%' ORDER BY o.slug"
    )
    return [number for (number,) in cursor.fetchall()]


def _copy(cursor: Any, table: str, where: str, key: str, **changed: object) -> None:
    cursor.execute(f"SELECT * FROM {table} WHERE {where}", (key,))
    names = [column[0] for column in cursor.description]
    for row in cursor.fetchall():
        values = {**dict(zip(names, row, strict=True)), **changed}
        values = {name: value for name, value in values.items() if value is not None or name != "number"}
        marks = ", ".join(["%s"] * len(values))
        cursor.execute(f"INSERT INTO {table} ({', '.join(values)}) VALUES ({marks})", list(values.values()))


def _usage(connection: MySQLdb.connections.Connection, projects: list[int], hours: int) -> int:
    """Packed usage: resources of each project in turn, and many more of the first."""
    cursor = connection.cursor()
    cursor.execute("SELECT slug, id FROM meters")
    meters = dict(cursor.fetchall())
    cursor.execute(
        "SELECT u.meter_id, u.attribute_set_id, r.name FROM usage_days u JOIN resources r ON r.id = u.resource_id"
    )
    sets = {int(name.rpartition("-")[2]): attributes for _, attributes, name in cursor.fetchall()}
    cursor.execute("SELECT feed_id FROM resources LIMIT 1")
    (feed,) = cursor.fetchone() or ()
    series = max(hours // (24 * DAYS), len(projects))
    largest = int(series * LARGEST_SHARE)
    cursor.execute("SELECT MAX(id) FROM resources")
    (known,) = cursor.fetchone() or (0,)
    cursor.executemany(
        "INSERT INTO resources (id, feed_id, name, passes) VALUES (%s, %s, %s, 0)",
        [(known + 1 + number, feed, f"large-{number:06d}") for number in range(series)],
    )
    rows: list[tuple[Any, ...]] = []
    count = 0
    for number in range(series):
        project = projects[0] if number < largest else projects[number % len(projects)]
        kind = number % len(METERS) if number < largest else number // len(projects) % len(METERS)
        meter, _, _, one = METERS[kind]
        for day in range(DAYS):
            quantities = {hour: one * (1 + (number * 7 + day * 3 + hour) % 32) for hour in range(24)}
            bits, slots = pack(quantities)
            total = Decimal(sum(quantities.values())) / 10**6
            rows.append(
                (project, meters[meter], date(2026, 9, 1 + day), known + 1 + number, sets[kind], bits, slots, total)
            )
        if len(rows) >= 3000 or number == series - 1:
            cursor.executemany("INSERT INTO usage_days VALUES (%s, %s, %s, %s, %s, %s, _binary %s, %s, 24)", rows)
            count += len(rows)
            rows.clear()
    connection.commit()
    return count
