"""What the software vendor Hexaline bills: a cost file a month, with the seats of each day of it that is over."""

import csv
import io
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import groupby

from gradumen.client import Client
from gradumen.demo.scenario import PROVIDER, SIGNERS
from gradumen.demo.supplier_costs import HEAD
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate

FEED, NAME = "hexaline", "Hexaline"
METER, SEATS, PLAN = "drawing-desk/cost", "drawing-desk/seats", "drawing-desk"
A_DAY = Decimal("0.62")
"""What a seat costs for a day, in euros."""
CUSTOMERS = (
    ("gannet", "bluefern", "gannet/tracking", "hexaline-g14", 14),
    ("kestrel-row", PROVIDER, "kestrel-row/render", "hexaline-k5", 5),
)
"""Who has seats, its seller, the project whose they are, their account at the vendor, and how many they are."""


def connect(signed_in: Callable[[str], Client], first: date, end: date) -> int:
    """Its feed, who buys seats, whose accounts are, and the files so far; gives how many rows came."""
    mara = signed_in(SIGNERS[PROVIDER])
    feed = f"{PROVIDER}/{FEED}"
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    mara.imported_costs.set_meter(feed, METER, quantities=True)
    kinds = mara.kind_rules.get(PROVIDER)
    seats = KindRuleForm(
        name="Hexaline's seats", meter=SEATS, unit="seat-day", starts_on=first, conditions={"feed": FEED}
    )
    mara.kind_rules.set(PROVIDER, [*kinds.rules, seats], kinds.version)
    rules = mara.ownership_rules.get(PROVIDER)
    owners = [
        OwnershipRuleForm(
            name=f"Seats of {organisation}", owner=project, starts_on=first, conditions={"account": account}
        )
        for organisation, _, project, account, _ in CUSTOMERS
    ]
    mara.ownership_rules.set(PROVIDER, [*rules.rules, *owners], rules.version)
    for organisation, seller, *_ in CUSTOMERS:
        signed_in(SIGNERS[seller]).subscriptions.create(
            SubscriptionCreate(organisation=organisation, plan=PLAN, tier="heath", name="Drawing Desk", starts_on=first)
        )
    return send(mara, first, end)


def send(mara: Client, first: date, end: date) -> int:
    """The files of the months of whole days of UTC, from one up to another; gives how many rows came.

    A demo that an earlier release made takes none.
    """
    feed = f"{PROVIDER}/{FEED}"
    if all(each.path != feed for each in mara.feeds.list(PROVIDER)):
        return 0
    days = (date.fromordinal(ordinal) for ordinal in range(first.toordinal(), end.toordinal()))
    count = 0
    for month, some in groupby(days, key=lambda day: day.replace(day=1)):
        there = list(some)
        file = io.StringIO()
        writer = csv.writer(file)
        writer.writerow(HEAD)
        writer.writerows(row for day in there for row in _rows(month, day))
        exported = datetime.combine(there[-1] + timedelta(days=1), time(), UTC)
        name = f"hexaline-{month:%Y-%m}.csv"
        count += mara.imported_costs.send(feed, name, file.getvalue().encode(), exported_at=exported).rows
    return count


def _rows(month: date, day: date) -> Iterator[tuple[str, ...]]:
    """The seats of a day, by account."""
    period = (f"{month}T00:00:00Z", f"{(month + timedelta(days=31)).replace(day=1)}T00:00:00Z")
    span = (f"{day}T00:00:00Z", f"{day + timedelta(days=1)}T00:00:00Z")
    for *_, account, seats in CUSTOMERS:
        costs = (f"{A_DAY * seats:f}",) * 4
        what = (NAME, "Drawing desk", "Business Applications", f"{account}-seats", "", f"HX-{month:%Y%m}")
        yield (*costs, "tarnwick-hx", account, "EUR", *period, "Usage", *span, *what, f"{seats}", "Seat-Days")
