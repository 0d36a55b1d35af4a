"""Who the organisations of the scenario are on paper, and what their sellers say of them. All made up.

The numbers have right check digits and belong to nobody: telephone numbers are of ranges kept for stories.
"""

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

import httpx

from gradumen.client import Client
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.demo.clouds import TOKEN
from gradumen.demo.scenario import PROVIDER, SIGNERS
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.organisations.clouds import CloudCreate
from gradumen.wire.organisations.details import BillingContactBody, DetailsUpdate
from gradumen.wire.subscriptions.onboardings import (
    OnboardingAccount,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingProject,
    OnboardingSketch,
    OnboardingSubscription,
)
from gradumen.wire.subscriptions.orders import OrderCreate

SELLER_OF = {
    "oxbow": PROVIDER, "bluefern": PROVIDER, "quillstone": PROVIDER, "kestrel-row": PROVIDER, "brasswick": PROVIDER,
    "moorhen": PROVIDER, "saltmarsh": "oxbow", "thistledown": "oxbow", "gannet": "bluefern",
    "pebble-and-pine": "bluefern", "dunlin": "pebble-and-pine",
}  # fmt: skip


def _details(
    legal_name: str, tax_id: str, street: str, postal_code: str, town: str, *contacts: tuple[str, str], **more: str
) -> DetailsUpdate:
    return DetailsUpdate(
        legal_name=legal_name,
        tax_id=tax_id,
        street=street,
        postal_code=postal_code,
        town=town,
        billing_contacts=[BillingContactBody(name=name, email=email) for name, email in contacts],
        **more,
    )


DETAILS = {
    PROVIDER: _details(
        "Tarnwick Cloud Limited", "IE9999999P", "The Old Weir\nMill Lane 4", "F00 T4R1", "Tarnwick",
        email="office@tarnwick.example", phone="+353 20 910 0001", language="en", registration="900001",
    ),
    "oxbow": _details(
        "Oxbow Managed IT Limited", "999999918", "12 Riverbend Yard", "OB7 3QX", "Oxbow",
        ("Accounts", "accounts@oxbow.example"), phone="+44 1632 960 101", language="en-GB", registration="00900002",
    ),
    "bluefern": _details(
        "Bluefern Hosting NV", "BE0999999922", "Varenkaai 18", "1099", "Brussels",
        ("Jet Wilg", "jet@bluefern.example"), email="office@bluefern.example", language="nl-BE",
    ),
    "pebble-and-pine": _details(
        "Pebble & Pine AB", "SE999999990801", "Stenvägen 3", "999 10", "Tallby", ("Sanna Tall", "sanna@pebble.example"),
        language="sv",
    ),
    "quillstone": _details(
        "Quillstone Observatory Trust", "IE9999980R", "Plate House\nStarhill", "F00 Q142", "Quillstone",
        ("Una Brodie", "una@quillstone.example"), ("Trust office", "office@quillstone.example"), language="en",
    ),
    "kestrel-row": _details(
        "Kestrel Row Films Limited", "IE9999981T", "7 Kestrel Row", "F00 K7K2", "Tarnwick",
        ("Production office", "office@kestrelrow.example"), language="en",
    ),
    "saltmarsh": _details(
        "Saltmarsh Ferries Limited", "999999973", "Pier House\n2 Harbour Road", "OB1 2ZZ", "Saltmarsh",
        ("Nia Ford", "bills@saltmarsh.example"), phone="+44 1632 960 114", language="en-GB",
    ),
    "gannet": _details(
        "Gannet Freight BV", "BE0999999625", "Vrachtdok 55", "2999", "Meeuwen", ("Lotte Kade", "lotte@gannet.example"),
        ("Invoice desk", "invoices@gannet.example"), language="nl-BE",
    ),
    "dunlin": _details(
        "Dunlin Maps AB", "SE999999991601", "Kartgatan 8", "999 20", "Strandby", language="sv",
    ),
}  # fmt: skip
NOTES: dict[str, dict[str, Any]] = {
    "oxbow": {
        "tags": ["managed service", "partner day"],
        "notes": "Renews its framework in March.",
    },
    "bluefern": {"tags": ["managed service"], "notes": "Has resellers of its own."},
    "quillstone": {"tags": ["research"], "notes": "Pays after its grant comes in, in the second week."},
    "kestrel-row": {"tags": ["bursts"], "notes": "Rings before a render run; wants a word when it is over 80 %."},
    "saltmarsh": {"tags": ["coast"], "notes": "Timetable changes in April and October bring load."},
    "gannet": {"tags": ["four sources"], "notes": "Wants everything on one invoice."},
}


def write_papers(signed_in: Callable[[str], Client]) -> None:
    """Details by each seller, and its own notes."""
    for slug, details in DETAILS.items():
        signed_in(SIGNERS[SELLER_OF.get(slug, PROVIDER)]).details.set(slug, details)
    for slug, said in NOTES.items():
        signed_in(SIGNERS[SELLER_OF[slug]]).organisations.change(slug, **said)


def ask_for_more(signed_in: Callable[[str], Client]) -> None:
    """One request that waits, and one that was answered in part."""
    ask = signed_in("ines@saltmarsh.example").quota_requests.ask
    ask("saltmarsh", "addresses", Decimal(32), "A second harbour office opens")
    given = ask("saltmarsh", "processors", Decimal(160), "The booking system moves")
    signed_in(SIGNERS["oxbow"]).quota_requests.answer(given.id, Decimal(112), "As many until the spring")


def set_states(signed_in: Callable[[str], Client], ends_on: date) -> None:
    """One that does not pay is suspended, of another the end is planned."""
    signed_in(SIGNERS["oxbow"]).states.change("thistledown", "suspended", reason="Two invoices are overdue")
    signed_in(SIGNERS[PROVIDER]).states.change(
        "brasswick", "closing", starts_on=ends_on, reason="The contract ends with the season"
    )


def order(signed_in: Callable[[str], Client], day: date) -> None:
    """What goes through without approval, an order that waits for it, and one that was refused."""
    signed_in(SIGNERS[PROVIDER]).orders.set_policy(PROVIDER, "EUR", Decimal(40))
    signed_in(SIGNERS["oxbow"]).orders.set_policy("oxbow", "GBP", Decimal(60))
    signed_in("tove@kestrelrow.example").orders.place(
        "kestrel-row",
        OrderCreate(
            kind=OrderKind.SUBSCRIBE,
            day=day,
            plan="drystone-tables",
            tier="moor",
            name="Drystone Tables",
            purchase_order="KRF-2207",
            reason="The shot list outgrew its spreadsheet",
        ),
    )
    asked = signed_in("ines@saltmarsh.example").orders.place(
        "saltmarsh",
        OrderCreate(
            kind=OrderKind.SUBSCRIBE,
            day=day,
            plan="stone-barn",
            tier="summit",
            name="Timetables kept",
            reason="The winter timetable",
        ),
    )
    signed_in(SIGNERS["oxbow"]).orders.refuse(asked.id, "Let us look first at what you keep already: ring me")


def register_cloud(signed_in: Callable[[str], Client], endpoint: str) -> None:
    """The provider's cloud in which it and its resellers have accounts made, measured by a feed; one name is taken."""
    mara = signed_in(SIGNERS[PROVIDER])
    site = next(each.id for each in mara.sites.list(PROVIDER) if each.slug == "north-fell")
    given = CloudCreate(slug="north-fell", name="North Fell", site=site, endpoint=endpoint, secret=TOKEN, shared=True)
    cloud = mara.clouds.register(PROVIDER, given).id
    mara.cloud_feeds.set(cloud, f"{PROVIDER}/north-fell")
    mara.hosts.look(cloud)
    taken = {"name": "heron-mill", "tag": None}
    made = httpx.post(f"{endpoint}/accounts", json=taken, headers={"Authorization": f"Bearer {TOKEN}"}, trust_env=False)
    made.raise_for_status()


def bring_on_board(signed_in: Callable[[str], Client], day: date) -> None:
    """Customers: one on board, one that waits for an administrator, one asked back, one that needs a hand at a step."""
    edda, piers = signed_in(SIGNERS["oxbow"]), signed_in("piers@oxbow.example")
    edda.onboardings.set_policy("oxbow", "GBP", Decimal(250))
    edda.onboardings.make(
        "oxbow",
        [
            OnboardingCreate(
                slug="sandlight",
                name="Sandlight Baths",
                starts_on=day,
                projects=[OnboardingProject(slug="pools", name="Pools")],
                cloud_accounts=[OnboardingAccount(cloud="north-fell")],
                people=[
                    OnboardingPerson(
                        email="orla@sandlight.example", programs=[ProgramPlan(name="Till sync", role=Role.SENDER)]
                    ),
                    OnboardingPerson(email="remy@sandlight.example", role=Role.FINANCE, services=["backup"]),
                ],
                subscriptions=[OnboardingSubscription(plan="open-range", tier="heath")],
            )
        ],
    )
    waits = OnboardingSketch(
        slug="gorse-end",
        name="Gorse End Pottery",
        projects=[OnboardingProject(slug="shop", name="Shop")],
        people=[OnboardingPerson(email="milo@gorse-end.example")],
        subscriptions=[OnboardingSubscription(plan="open-range", tier="moor", starts_on=day)],
    )
    draft = piers.onboardings.draft("oxbow", waits)
    piers.onboardings.submit(draft.id, draft.version)
    back = piers.onboardings.draft("oxbow", waits.model_copy(update={"slug": "tarn-view", "name": "Tarn View Inn"}))
    asked = piers.onboardings.submit(back.id, back.version)
    edda.onboardings.ask_back(asked.id, "Which tier did they see in the offer?")
    signed_in(SIGNERS["bluefern"]).onboardings.make(
        "bluefern",
        [
            OnboardingCreate(
                slug="heron-mill",
                name="Heron Mill Museum",
                starts_on=day,
                cloud_accounts=[OnboardingAccount(cloud="north-fell")],
                people=[OnboardingPerson(email="lotte@heron-mill.example")],
                subscriptions=[OnboardingSubscription(plan="open-range", tier="heath")],
            )
        ],
    )


def plan_move(signed_in: Callable[[str], Client], day: date) -> None:
    """A customer of a reseller is to buy of the provider itself."""
    why = "Bluefern leaves the trade with bakeries; agreed with both."
    signed_in(SIGNERS[PROVIDER]).moves.plan("marrow-lane", PROVIDER, day, why)
