"""Usage of Cumulant, a public cloud that names accounts and no owners: one is Gannet's by a rule, one nobody's."""

import random
from collections.abc import Iterator
from datetime import date, timedelta
from typing import Any

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event
from gradumen.demo.fleet import SEED
from gradumen.demo.scenario import PROVIDER
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm

FEED, NAME = "cumulant", "Cumulant"
KNOWN, UNOWNED = "cumulant-2203", "cumulant-4471"
MACHINES = (
    (KNOWN, "quay-relay", "small", 4, 9),
    (KNOWN, "quay-labels", "small", 2, 0),
    (UNOWNED, "survey-a", "large", 16, 31),
    (UNOWNED, "survey-b", "large", 16, 26),
    (UNOWNED, "survey-store", "small", 2, 120),
)
"""Account, machine, size, processors, and GiB that it sends out in a day."""
VOLUMES = ((KNOWN, "quay-labels-disk", "faster", 240), (KNOWN, "quay-archive", "cold", 900))
"""Account, volume, its class, and how large it is; its sender has words of its own for all of that."""
GIB = 1024**3


def readings(first: date, end: date) -> Iterator[dict[str, Any]]:
    """What its machines used on whole days of UTC, from one up to another."""
    for ordinal in range(first.toordinal(), end.toordinal()):
        day = date.fromordinal(ordinal)
        for account, machine, size, processors, sent in MACHINES:
            chance = random.Random(f"{SEED}/{machine}/{day}")
            yield _event(account, machine, day, "compute/vcpu", str(processors), "vCPU", {"size": size})
            if sent:
                amount = sent * GIB + chance.randrange(sent * GIB // 3)
                yield _event(account, machine, day, "network/egress", str(amount), "byte", {})
        for account, volume, disk_class, size_of in VOLUMES:
            told = {"disk_class": disk_class, "zone": "quay-2"}
            yield _event(account, volume, day, "volume-usage", str(size_of), "Gigabytes", told)


def _event(
    account: str, machine: str, day: date, meter: str, quantity: str, unit: str, attributes: dict[str, str]
) -> dict[str, Any]:
    data = {
        "account": account,
        "resource": machine,
        "meter": meter,
        "quantity": quantity,
        "unit": unit,
        "start": f"{day}T00:00:00Z",
        "end": f"{day + timedelta(days=1)}T00:00:00Z",
        "attributes": attributes,
    }
    return reading_event(f"/accounts/{account}", f"{machine}/{meter}/{day}", data)


def connect(mara: Client, first: date) -> None:
    """Its feed, the rule for the account of which it is known whose it is, and one for what its fast disks are."""
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    mara.feeds.allow(f"{PROVIDER}/{FEED}", "meters@tarnwick.example")
    rule = OwnershipRuleForm(
        name="Gannet's account", owner="gannet/tracking", starts_on=first, conditions={"account": KNOWN}
    )
    mara.ownership_rules.set(PROVIDER, [rule], 0)
    disks = KindRuleForm(
        name="Cumulant's fast disks",
        meter="block-storage/capacity",
        attributes={"disk": "fast"},
        unit="GB",
        starts_on=first,
        conditions={"meter": "volume-usage", "where": {"disk_class": ["fast", "faster"]}},
    )
    mara.kind_rules.set(PROVIDER, [disks], 0)
