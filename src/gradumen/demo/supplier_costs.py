"""What Cumulant bills: a cost file a day, one day restated, and one account of which nobody knows whose it is."""

import csv
import io
import random
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

from gradumen.client import Client
from gradumen.demo.fleet import SEED
from gradumen.demo.public_cloud import FEED, KNOWN, UNOWNED
from gradumen.demo.scenario import PROVIDER, SIGNERS
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate

METER, PLAN, RENDER = "public-cloud/cost", "far-shore", "cumulant-3310"
BILLED = (
    (KNOWN, "Message queues", "Integration", "queue-quay", "3.184", "61800", "Messages"),
    (KNOWN, "Image store", "Storage", "scans", "1.0625", "3860", "GB-Hours"),
    (RENDER, "Machines with graphics", "Compute", "frames", "38.91", "31.5", "Hours"),
    (UNOWNED, "Map archive", "Storage", "survey-tiles", "12.4075", "51600", "GB-Hours"),
)
"""Account, service, category, resource, and what it costs and uses in a day, about: euros, and the supplier's units."""
KINDS = (
    ("Cumulant's messages", "public-cloud/messages", "piece", {"service": "Message queues"}),
    ("Cumulant's storage", "public-cloud/stored", None, {"service-category": "Storage"}),
    ("Cumulant's machines", "public-cloud/time", None, {"service-category": "Compute"}),
)
"""What its cost files say was used: by which rule of which meter, in which unit if not the one it says, and of what."""
HEAD = (
    "BilledCost", "EffectiveCost", "ListCost", "ContractedCost", "BillingAccountId", "SubAccountId", "BillingCurrency",
    "BillingPeriodStart", "BillingPeriodEnd", "ChargeCategory", "ChargePeriodStart", "ChargePeriodEnd", "ProviderName",
    "ServiceName", "ServiceCategory", "ResourceId", "RegionId", "InvoiceId", "ConsumedQuantity", "ConsumedUnit",
)  # fmt: skip


def connect(signed_in: Callable[[str], Client], first: date, end: date) -> int:
    """What its costs are of, who buys them, whose accounts are, and the files so far; gives how many rows came."""
    mara = signed_in(SIGNERS[PROVIDER])
    mara.imported_costs.set_meter(f"{PROVIDER}/{FEED}", METER, quantities=True)
    kinds = mara.kind_rules.get(PROVIDER)
    used = [
        KindRuleForm(name=name, meter=meter, unit=unit, starts_on=first, conditions={"feed": FEED, "where": where})
        for name, meter, unit, where in KINDS
    ]
    mara.kind_rules.set(PROVIDER, [*kinds.rules, *used], kinds.version)
    for seller, organisation in (("bluefern", "gannet"), (PROVIDER, "kestrel-row")):
        signed_in(SIGNERS[seller]).subscriptions.create(
            SubscriptionCreate(organisation=organisation, plan=PLAN, tier="heath", name="Far Shore", starts_on=first)
        )
    rules = mara.ownership_rules.get(PROVIDER)
    rule = OwnershipRuleForm(
        name="Kestrel's renders", owner="kestrel-row/render", starts_on=first, conditions={"account": RENDER}
    )
    mara.ownership_rules.set(PROVIDER, [*rules.rules, rule], rules.version)
    count = send(mara, first, end)
    if end > first:
        # Its first statement of the last day lacked what a discount took off.
        last = end - timedelta(days=1)
        count += send_day(mara, last, datetime.combine(end, time(0, 1), UTC), credit=True)
    return count


def send(mara: Client, first: date, end: date) -> int:
    """The files of whole days of UTC, from one up to another; gives how many rows came.

    A demo that an earlier release made takes none.
    """
    if mara.imported_costs.meter(f"{PROVIDER}/{FEED}").meter is None:
        return 0
    days = (date.fromordinal(ordinal) for ordinal in range(first.toordinal(), end.toordinal()))
    return sum(send_day(mara, day, datetime.combine(day + timedelta(days=1), time(), UTC)) for day in days)


def send_day(mara: Client, day: date, exported: datetime, *, credit: bool = False) -> int:
    """The file of a day, as it was exported at a moment; with ``credit`` as it was restated."""
    file = io.StringIO()
    writer = csv.writer(file)
    writer.writerow(HEAD)
    writer.writerows(_rows(day, credit=credit))
    name = f"cumulant-{day}{'-restated' if credit else ''}.csv"
    return mara.imported_costs.send(f"{PROVIDER}/{FEED}", name, file.getvalue().encode(), exported_at=exported).rows


def _rows(day: date, *, credit: bool) -> Iterator[tuple[str, ...]]:
    month = day.replace(day=1)
    period = (f"{month}T00:00:00Z", f"{(month + timedelta(days=31)).replace(day=1)}T00:00:00Z")
    span = (f"{day}T00:00:00Z", f"{day + timedelta(days=1)}T00:00:00Z")

    def row(account: str, cost: Decimal, category: str, service: str, kind: str, *of: str) -> tuple[str, ...]:
        costs = (f"{cost:f}",) * 4
        resource, quantity, unit = of
        rest = ("Cumulant", service, kind, resource, "west-2", f"CU-{month:%Y%m}", quantity, unit)
        return (*costs, "tarnwick-77", account, "EUR", *period, category, *span, *rest)

    total = Decimal(0)
    for account, service, kind, resource, about, uses, unit in BILLED:
        chance = random.Random(f"{SEED}/{resource}/{day}/cost")
        share = Decimal(90 + chance.randrange(25)) / 100
        cost = Decimal(about) * share
        total += cost
        yield row(account, cost, "Usage", service, kind, resource, f"{Decimal(uses) * share:f}", unit)
    if credit:
        yield row(RENDER, Decimal("-7.5"), "Credit", "Machines with graphics", "Compute", "", "", "")
    yield row("", (total * 21 / 100).quantize(Decimal("0.01")), "Tax", "Value added tax", "Other", "", "", "")
