"""Who is in the scenario: organisations, people, projects, plans, quotas. All made up."""

from dataclasses import dataclass, field
from decimal import Decimal

from gradumen.core.permissions import Role

PASSWORD = "over-the-fell-and-far"
"""The password of every user of the demo."""
PROVIDER = "tarnwick"


@dataclass(frozen=True, slots=True)
class Organisation:
    """An organisation of the scenario, under ``parent``."""

    slug: str
    name: str
    type: str
    parent: str
    country: str
    currency: str
    zone: str
    quota: tuple[int, int]
    plans: tuple[tuple[str, str], ...] = ()
    projects: tuple[tuple[str, str, str], ...] = ()
    members: tuple[tuple[str, str, Role], ...] = field(default=())


def _people(domain: str, *people: tuple[str, str, Role]) -> tuple[tuple[str, str, Role], ...]:
    return tuple((f"{user}@{domain}.example", name, role) for user, name, role in people)


_ADMIN, _FINANCE, _VIEWER = Role.ADMINISTRATOR, Role.FINANCE, Role.VIEWER

TARNWICK_MEMBERS = _people(
    "tarnwick", ("finn", "Finn Ashdown", _FINANCE), ("oda", "Oda Birk", _VIEWER), ("meters", "Metering", Role.SENDER)
)

ORGANISATIONS = (
    Organisation(
        "oxbow", "Oxbow Managed IT", "reseller", PROVIDER, "GB", "GBP", "Europe/London", (900, 120_000),
        members=_people("oxbow", ("edda", "Edda Marsh", _ADMIN), ("piers", "Piers Lowe", _FINANCE)),
    ),
    Organisation(
        "bluefern", "Bluefern Hosting", "reseller", PROVIDER, "BE", "EUR", "Europe/Brussels", (1600, 260_000),
        members=_people("bluefern", ("ruben", "Ruben Vlier", _ADMIN), ("jet", "Jet Wilg", _FINANCE)),
    ),
    Organisation(
        "pebble-and-pine", "Pebble & Pine", "reseller", "bluefern", "SE", "SEK", "Europe/Stockholm", (300, 40_000),
        members=_people("pebble", ("sanna", "Sanna Tall", _ADMIN)),
    ),
    Organisation(
        "quillstone", "Quillstone Observatory", "tenant", PROVIDER, "IE", "EUR", "Europe/Dublin", (128, 400_000),
        (("open-range", "moor"), ("reed-bed", "summit"), ("stone-barn", "moor")),
        (("archive", "Plate archive", "Q-142"), ("survey", "Northern survey", "Q-217")),
        _people("quillstone", ("una", "Una Brodie", _FINANCE)),
    ),
    Organisation(
        "kestrel-row", "Kestrel Row Films", "tenant", PROVIDER, "IE", "EUR", "Europe/Dublin", (512, 60_000),
        (("open-range", "summit"), ("stone-barn", "heath")),
        (("render", "Render farm", "K-7"), ("edit", "Editing", "K-2")),
        _people("kestrelrow", ("tove", "Tove Lindqvist", _ADMIN)),
    ),
    Organisation(
        "saltmarsh", "Saltmarsh Ferries", "tenant", "oxbow", "GB", "GBP", "Europe/London", (96, 12_000),
        (("stone-barn", "moor"),),
        (("booking", "Booking", "SF-14"), ("timetable", "Timetable", "SF-17"), ("harbour", "Harbour office", "SF-23")),
        _people("saltmarsh", ("ines", "Ines Carrow", _ADMIN)),
    ),
    Organisation(
        "thistledown", "Thistledown Clinic", "tenant", "oxbow", "GB", "GBP", "Europe/London", (48, 6_000),
        (("open-range", "heath"), ("drystone-tables", "moor")), (("records", "Patient records", "TC-1"),),
        _people("thistledown", ("wynn", "Wynn Hale", _VIEWER)),
    ),
    Organisation(
        "marrow-lane", "Marrow Lane Bakeries", "tenant", "bluefern", "BE", "EUR", "Europe/Brussels", (64, 5_000),
        (("open-range", "heath"),), (("shop", "Web shop", "ML-1"), ("tests", "Test machines", "ML-9")),
        _people("marrowlane", ("dirk", "Dirk Meel", _ADMIN)),
    ),
    Organisation(
        "copperbeech", "Copperbeech Schools", "tenant", "bluefern", "BE", "EUR", "Europe/Brussels", (64, 8_000),
        (("open-range", "moor"),),
        (
            ("primary", "Primary schools", "CB-1"), ("secondary", "Secondary schools", "CB-2"),
            ("beech-lane", "Beech Lane School", "CB-11"), ("lessons", "Class 4 lessons", "CB-3"),
            ("harbour-school", "Harbour School", "CB-21"),
        ),
        _people("copperbeech", ("noor", "Noor Beuk", _ADMIN)),
    ),
    Organisation(
        "gannet", "Gannet Freight", "tenant", "bluefern", "BE", "EUR", "Europe/Brussels", (256, 40_000),
        (("open-range", "summit"), ("stone-barn", "summit"), ("drystone-tables", "summit")),
        (("tracking", "Tracking", "GF-1"), ("customs", "Customs papers", "GF-2")),
        _people("gannet", ("lotte", "Lotte Kade", _ADMIN)),
    ),
    Organisation(
        "dunlin", "Dunlin Maps", "tenant", "pebble-and-pine", "SE", "SEK", "Europe/Stockholm", (96, 16_000),
        (("open-range", "moor"), ("reed-bed", "moor")), (("tiles", "Map tiles", "DM-1"),),
        _people("dunlin", ("arvid", "Arvid Strand", _ADMIN)),
    ),
    Organisation(
        "brasswick", "Brasswick Opera", "tenant", PROVIDER, "IE", "EUR", "Europe/Dublin", (64, 8_000),
        (("open-range", "moor"),), (("stage", "Stage plans", "BO-4"),),
        _people("brasswick", ("orla", "Orla Quinn", _VIEWER)),
    ),
    Organisation(
        "moorhen", "Moorhen Games", "tenant", PROVIDER, "JP", "JPY", "Asia/Tokyo", (192, 10_000),
        (("open-range", "summit"),), (("arena", "Arena", "MG-1"),),
        _people("moorhen", ("kaito", "Kaito Mori", _ADMIN)),
    ),
)  # fmt: skip
"""In an order in which parents come first."""

MORE_QUOTAS = {
    PROVIDER: {"addresses": 1000},
    "oxbow": {"addresses": 160, "database-nodes": 20, "users": 40, "organisations": 12},
    "bluefern": {"addresses": 240},
    "pebble-and-pine": {"addresses": 48},
    "saltmarsh": {"addresses": 24, "users": 10},
    "thistledown": {"addresses": 24, "database-nodes": 4, "users": 10},
}
"""What there is beside processors and storage; tenants that are not named have `TENANT_ADDRESSES` each."""
TENANT_ADDRESSES = 24

TAXES = (
    ("tarnwick", "IE", "S", Decimal(23)),
    ("tarnwick", "GB", "O", Decimal(0)),
    ("tarnwick", "BE", "AE", Decimal(0)),
    ("tarnwick", "JP", "O", Decimal(0)),
    ("oxbow", "GB", "S", Decimal(20)),
    ("bluefern", "BE", "S", Decimal(21)),
    ("bluefern", "SE", "AE", Decimal(0)),
    ("pebble-and-pine", "SE", "S", Decimal(25)),
)
SELLERS = ("tarnwick", "oxbow", "bluefern", "pebble-and-pine")
SIGNERS = {
    "tarnwick": "mara@tarnwick.example",
    "oxbow": "edda@oxbow.example",
    "bluefern": "ruben@bluefern.example",
    "pebble-and-pine": "sanna@pebble.example",
}
"""An administrator of each seller."""
CATALOGUE = {
    "tarnwick": ("services.yaml", "plans.yaml", "tarnwick.yaml"),
    "oxbow": ("oxbow.yaml",),
    "bluefern": ("bluefern.yaml",),
    "pebble-and-pine": ("pebble-and-pine.yaml",),
}
HOST_PROJECT = "service-host"

PROJECT_TREES = {
    "copperbeech": (
        ["Division", "School", "Class"],
        {"beech-lane": "primary", "lessons": "beech-lane", "harbour-school": "secondary"},
    ),
}
"""What organisations call the levels of their trees of projects, and what is under what."""
