"""What the software vendor Hexaline bills: a cost file a month, with the seats of each day of it that is over.

It lays them into a store of its own, where the service fetches them.
"""

import csv
import io
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import groupby
from time import monotonic, sleep

from gradumen.client import Client
from gradumen.core.errors import GradumenError
from gradumen.core.metering.pulls import PullKind
from gradumen.demo.scenario import PROVIDER, SIGNERS
from gradumen.demo.stores import BUCKET, SimulatedStore
from gradumen.demo.supplier_costs import HEAD
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.metering.pulls import PullForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate

FEED, NAME = "hexaline", "Hexaline"
PATH = f"{PROVIDER}/{FEED}"
USER, SECRET = "hexaline-reader", "secret-of-the-simulated-store"  # of a store that is none
SETTLES = timedelta(minutes=1)
METER, SEATS, PLAN = "drawing-desk/cost", "drawing-desk/seats", "drawing-desk"
A_DAY = Decimal("0.62")
"""What a seat costs for a day, in euros."""
CUSTOMERS = (
    ("gannet", "bluefern", "gannet/tracking", "hexaline-g14", 14),
    ("kestrel-row", PROVIDER, "kestrel-row/render", "hexaline-k5", 5),
)
"""Who has seats, its seller, the project whose they are, their account at the vendor, and how many they are."""


def connect(signed_in: Callable[[str], Client], store: SimulatedStore, first: date, end: date) -> int:
    """Its feed, who buys seats, whose accounts are, and the files so far, fetched; gives how many rows they have."""
    mara = signed_in(SIGNERS[PROVIDER])
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    mara.imported_costs.set_meter(PATH, METER, quantities=True)
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
    return carry_on(mara, store, first, end)


def carry_on(mara: Client, store: SimulatedStore, first: date, end: date) -> int:
    """What it has laid into its store up to a day is fetched from there; gives how many rows that has.

    Each month is a file, which is another one each day. A demo that an earlier release made takes none.
    """
    if all(each.path != PATH for each in mara.feeds.list(PROVIDER)):
        return 0
    pull, form = mara.pulls.get(PATH), pull_form(store, first)
    if pull.pull is None or pull.pull.endpoint != form.endpoint:
        mara.pulls.set(PATH, form, version=pull.version, secret=store.secret)
    count = 0
    days = (date.fromordinal(ordinal) for ordinal in range(first.toordinal(), end.toordinal()))
    for month, some in groupby(days, key=lambda day: day.replace(day=1)):
        there = list(some)
        # How old a file is says its own clock, the real one, which the demo's may be ahead of.
        exported = min(datetime.combine(there[-1] + timedelta(days=1), time(), UTC), datetime.now(UTC) - 2 * SETTLES)
        store.put(f"{FEED}/{FEED}-{month:%Y-%m}.csv", content(there), exported)
        count += len(there) * len(CUSTOMERS)
    wait(mara, store)
    return count


def pull_form(store: SimulatedStore, first: date) -> PullForm:
    """How it is fetched."""
    return PullForm(
        kind=PullKind.OBJECTS,
        endpoint=f"{store.url}/{BUCKET}/{FEED}",
        user=store.user,
        names=f"{FEED}-*.csv",
        settles_minutes=SETTLES // timedelta(minutes=1),
        starts_at=datetime.combine(first, time(), UTC),
    )


def wait(mara: Client, store: SimulatedStore) -> None:
    """Until all that is in the store is taken; what fails is asked for once more.

    Raises:
        GradumenError: that takes over two minutes.
    """
    wanted = {(path.name, int(path.stat().st_mtime)) for _, path in store.objects(f"{FEED}/")}
    ends = monotonic() + 120
    while wanted:
        taken = {(each.name, int(each.modified_at.timestamp())) for each in mara.pulls.files(PATH) if not each.problem}
        if wanted <= taken:
            return
        if monotonic() > ends:
            raise GradumenError(f"{PATH} is not fetched: {mara.pulls.get(PATH).problem or wanted - taken}")
        mara.pulls.again(PATH)
        sleep(1)


def content(days: Iterable[date]) -> bytes:
    """A file of the seats of whole days of UTC of a month."""
    file = io.StringIO()
    writer = csv.writer(file)
    writer.writerow(HEAD)
    writer.writerows(row for day in days for row in _rows(day.replace(day=1), day))
    return file.getvalue().encode()


def _rows(month: date, day: date) -> Iterator[tuple[str, ...]]:
    """The seats of a day, by account."""
    period = (f"{month}T00:00:00Z", f"{(month + timedelta(days=31)).replace(day=1)}T00:00:00Z")
    span = (f"{day}T00:00:00Z", f"{day + timedelta(days=1)}T00:00:00Z")
    for *_, account, seats in CUSTOMERS:
        costs = (f"{A_DAY * seats:f}",) * 4
        what = (NAME, "Drawing desk", "Business Applications", f"{account}-seats", "", f"HX-{month:%Y%m}")
        yield (*costs, "tarnwick-hx", account, "EUR", *period, "Usage", *span, *what, f"{seats}", "Seat-Days")
