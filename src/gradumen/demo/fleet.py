"""What runs in the scenario, and the readings it leaves: the same for the same seed, day by day."""

import random
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from gradumen.client.metering.readings import reading_event

GIB = 1024**3
Sited = tuple[str, dict[str, Any]]
"""A site and an event."""
SEED = 20260101


@dataclass(frozen=True, slots=True)
class Machines:
    """``count`` machines of one shape in a project; ``swing`` is how much of them comes and goes by day."""

    owner: str
    name: str
    site: str
    count: int
    vcpu: int
    memory_gib: int
    disk_gib: int
    size: str = "medium"
    disk: str = "standard"
    address: bool = False
    egress_gib: int = 0
    backup_gib: int = 0
    swing: int = 0


FLEET = (
    Machines("quillstone/archive", "plate-reader", "north-fell", 2, 8, 32, 900, egress_gib=180, backup_gib=700),
    Machines("quillstone/survey", "survey", "south-quay", 3, 16, 64, 400, "large", egress_gib=60, swing=2),
    Machines("kestrel-row/render", "render", "south-quay", 4, 32, 128, 300, "gpu", "fast", egress_gib=25, swing=4),
    Machines("kestrel-row/edit", "edit", "north-fell", 2, 16, 64, 2000, "large", "fast", True, 90, 400),
    Machines("saltmarsh/booking", "booking", "north-fell", 2, 8, 16, 200, "medium", "fast", True, 35, 150),
    Machines("saltmarsh/timetable", "timetable", "north-fell", 1, 4, 8, 60, "small", egress_gib=8),
    Machines("saltmarsh/harbour", "harbour", "north-fell", 1, 4, 16, 300, backup_gib=200),
    Machines("thistledown/records", "records", "north-fell", 2, 4, 16, 250, address=True, egress_gib=4),
    Machines("marrow-lane/shop", "shop", "south-quay", 2, 4, 8, 80, "small", address=True, egress_gib=22),
    Machines("marrow-lane/tests", "test", "south-quay", 3, 4, 8, 60, "small"),
    Machines("copperbeech/lessons", "lesson", "north-fell", 2, 8, 16, 120, swing=3),
    Machines("copperbeech/beech-lane", "register", "north-fell", 1, 4, 8, 60, "small"),
    Machines("copperbeech/harbour-school", "workshop", "north-fell", 1, 4, 16, 90, swing=1),
    Machines("gannet/tracking", "tracking", "north-fell", 3, 16, 64, 500, "large", "fast", True, 120, 600),
    Machines("gannet/customs", "customs", "south-quay", 2, 8, 32, 350, backup_gib=500, address=True, egress_gib=30),
    Machines("dunlin/tiles", "tiles", "south-quay", 3, 8, 32, 700, address=True, egress_gib=340, swing=1),
    Machines("brasswick/stage", "stage", "south-quay", 2, 8, 32, 240, swing=1),
    Machines("moorhen/arena", "arena", "south-quay", 3, 16, 32, 150, "large", "fast", True, 210, swing=3),
)

OBJECTS = (
    ("quillstone/archive", "plates", "north-fell", 88_000, 60, 900_000),
    ("dunlin/tiles", "tiles-bucket", "south-quay", 6_500, 12, 2_400_000),
)
"""Owner, bucket, site, GiB at first, growth in GiB a day, requests a day."""
DATABASES = (
    ("thistledown/records", "records-db", "north-fell", "small", 2),
    ("gannet/tracking", "tracking-db", "north-fell", "large", 3),
)
MADE_OF = {"records-db": (2, 8)}
"""Databases whose machines the cloud counts too: vCPU and GiB of memory of each node."""


def readings_of_day(day: date, first: date, hours: int, *, until_hour: int = 24) -> Iterator[Sited]:
    """The readings of a UTC day as (feed, event).

    Args:
        first: the scenario's first day, from which growth counts.
        hours: length of each sample; divides 24.
        until_hour: samples that end later are left out.
    """
    for machines in FLEET:
        for index in range(machines.count + machines.swing):
            chance = random.Random(f"{SEED}/{machines.owner}/{machines.name}/{index}/{day}")
            yield from _machine(machines, index, day, hours, until_hour, chance)
    age = (day - first).days
    for owner, bucket, site, gib, growth, requests in OBJECTS:
        chance = random.Random(f"{SEED}/{bucket}/{day}")
        stored = (gib + growth * age) * GIB
        made = requests + chance.randrange(requests // 5)
        sampled = _Samples(owner, bucket, day, hours, until_hour, {"site": site})
        yield from sampled.level("object-storage/stored", stored, "byte")
        yield from sampled.total("object-storage/requests", made, "request")
    for owner, name, site, size, nodes in DATABASES:
        sampled = _Samples(owner, name, day, hours, until_hour, {"site": site, "size": size})
        yield from sampled.level("database/nodes", nodes, "node")
        for node in range(nodes if name in MADE_OF else 0):
            vcpu, memory_gib = MADE_OF[name]
            of = {"size": size, "component_of": name}
            sampled = _Samples(owner, f"{name}-{node + 1}", day, hours, until_hour, {"site": site})
            yield from sampled.level("compute/vcpu", vcpu, "vCPU", of)
            yield from sampled.level("compute/memory", memory_gib, "GiB", of)


def _machine(
    machines: Machines, index: int, day: date, hours: int, until_hour: int, chance: random.Random
) -> Iterator[Sited]:
    begin, end = 0, min(until_hour, 24)
    if index >= machines.count:
        # The ones that come and go work on weekdays, and the render farm in bursts.
        burst = machines.name == "render" and 10 <= day.day <= 16
        if not burst and (day.weekday() >= 5 or chance.random() < 0.35):
            return
        if not burst:
            begin, end = min(6, end), min(18, end)
    sampled = _Samples(
        machines.owner, f"{machines.name}-{index + 1:02d}", day, hours, end, {"site": machines.site}, begin
    )
    size = {"size": machines.size}
    yield from sampled.level("compute/vcpu", machines.vcpu, "vCPU", size)
    yield from sampled.level("compute/memory", machines.memory_gib, "GiB", size)
    yield from sampled.level("block-storage/capacity", machines.disk_gib, "GiB", {"disk": machines.disk})
    if machines.address:
        yield from sampled.level("addresses/held", 1, "address")
    if machines.backup_gib:
        yield from sampled.level("backup/protected", machines.backup_gib, "GiB")
    if machines.egress_gib:
        daily = machines.egress_gib * GIB // 30
        yield from sampled.total("network/egress", daily // 2 + chance.randrange(daily), "byte")


@dataclass(frozen=True, slots=True)
class _Samples:
    """Makes the samples of one resource and day."""

    owner: str
    resource: str
    day: date
    hours: int
    until: int
    attributes: dict[str, str]
    begin: int = 0

    def _event(
        self, meter: str, quantity: str, unit: str, start: int, end: int, more: dict[str, str]
    ) -> dict[str, Any]:
        stop = self.day if end < 24 else self.day + timedelta(days=1)
        data = {
            "owner": self.owner,
            "resource": self.resource,
            "meter": meter,
            "quantity": quantity,
            "unit": unit,
            "start": f"{self.day}T{start:02d}:00:00Z",
            "end": f"{stop}T{end % 24:02d}:00:00Z",
            "attributes": {**self.attributes, **more},
        }
        identity = f"{self.resource}/{meter}/{self.day}T{start:02d}"
        return reading_event(f"/sites/{self.attributes['site']}", identity, data)

    def level(self, meter: str, quantity: int, unit: str, more: dict[str, str] | None = None) -> Iterator[Sited]:
        """One sample for each stretch of the day."""
        for start in range(self.begin, self.until, self.hours):
            end = start + self.hours
            if end <= self.until:
                yield self.attributes["site"], self._event(meter, str(quantity), unit, start, end, more or {})

    def total(self, meter: str, quantity: int, unit: str) -> Iterator[Sited]:
        """A day's quantity in equal shares, one for each stretch of the day that is over.

        What a stretch holds follows from its day alone, never from the hour at which it is made.
        """
        for start in range(self.begin, self.until, self.hours):
            end = start + self.hours
            if end <= self.until:
                share = quantity * self.hours // 24
                yield self.attributes["site"], self._event(meter, str(share), unit, start, end, {})
