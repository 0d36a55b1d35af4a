"""Usage made again from readings: nothing is lost, nothing is made that was not touched."""

import threading
from collections import Counter
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.client import Client
from gradumen.core.metering.packed_days import unpack
from gradumen.jobs.leases import now
from gradumen.store.metering import stale_usage as store
from gradumen.store.metering.tables import ResourceRow, StaleUsageRow, UsageDayRow
from gradumen.usecases.metering.stale_usage import refresh_batch, refresh_usage
from tests.conftest import Service
from tests.world import EMAILS, PASSWORD, World, egress, reading

FEED = "tarnwick/north-fell"


def total(world: World, **chosen: Any) -> Decimal:
    return sum((each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", **chosen).items), Decimal(0))


def test_passes_at_once_with_readings_that_pour_in_lose_nothing(world: World, service: Service) -> None:
    """Three senders replace each other's readings of one resource while three passes run over it."""
    gate = threading.Barrier(6)
    poured = threading.Event()
    failures: list[BaseException] = []

    def send(number: int) -> None:
        client = Client(world.url)
        client.sign_in(EMAILS["mara"], PASSWORD)
        gate.wait()
        for turn in range(12):
            day = 1 + turn % 3
            events = [
                egress(
                    f"own-{number}-{turn}", 10, start=f"2026-09-{day:02d}T05:00:00Z", end=f"2026-09-{day:02d}T06:00:00Z"
                ),
                egress("shared", 1000 * number + turn, sequence=100 * turn + number),
            ]
            assert client.readings.send(FEED, events).refused == 0
        client.close()

    def make() -> None:
        gate.wait()
        while not poured.is_set():
            refresh_usage(service.uow, at=now())

    def guarded(work: Any, *given: Any) -> None:
        try:
            work(*given)
        except BaseException as error:  # noqa: BLE001  # told below, where the test fails of it
            failures.append(error)

    senders = [threading.Thread(target=guarded, args=(send, number)) for number in (1, 2, 3)]
    passes = [threading.Thread(target=guarded, args=(make,)) for _ in range(3)]
    for thread in (*senders, *passes):
        thread.start()
    for thread in senders:
        thread.join(120)
    poured.set()
    for thread in passes:
        thread.join(60)
    world.settle()

    assert failures == []
    assert total(world) == 36 * 10 + 3011


def test_a_pass_removes_only_the_marks_that_it_read(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A reading that comes in after its resource's readings were read is counted by the next pass."""
    monkeypatch.setattr("gradumen.jobs.worker.work_off", lambda uow: 0)
    assert world.mara.readings.send(FEED, [egress("a", 100)]).accepted == 1
    read = store.samples

    def then_another(*given: Any) -> Any:
        monkeypatch.setattr(store, "samples", read)
        rows = read(*given)
        assert world.mara.readings.send(FEED, [egress("b", 7)]).accepted == 1
        return rows

    monkeypatch.setattr(store, "samples", then_another)
    assert refresh_batch(service.uow, at=now()) == 1
    answer = world.mara.usage.sum("tarnwick", "2026-09")
    assert ([each.quantity for each in answer.items], answer.waiting) == ([100], True)
    refresh_usage(service.uow, at=now())
    answer = world.mara.usage.sum("tarnwick", "2026-09")
    assert ([each.quantity for each in answer.items], answer.waiting) == ([107], False)


def test_a_day_that_was_marked_again_and_again_is_made_once(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As hour after hour of many machines comes in; days that are not among the oldest wait for the next pass."""
    monkeypatch.setattr("gradumen.jobs.worker.work_off", lambda uow: 0)
    monkeypatch.setattr("gradumen.usecases.metering.stale_usage.BATCH", 2)
    for hour in range(5):
        sent = [
            egress(f"{machine}-{hour}", 1, resource=f"vm-{machine}", start=f"2026-09-10T0{hour}:00:00Z",
                   end=f"2026-09-10T0{hour + 1}:00:00Z")
            for machine in range(3)
        ]  # fmt: skip
        assert world.mara.readings.send(FEED, sent).accepted == 3
    assert refresh_batch(service.uow, at=now()) == 10
    assert refresh_batch(service.uow, at=now()) == 5
    assert refresh_batch(service.uow, at=now()) == 0
    with Session(service.uow.engine) as session:
        assert {row.name: row.passes for row in session.scalars(select(ResourceRow))} == dict.fromkeys(
            ("vm-0", "vm-1", "vm-2"), 1
        )
    assert total(world) == 15


def test_one_late_reading_touches_one_resource_and_its_days(world: World, service: Service) -> None:
    world.send(*[egress(f"{n}", n, resource=f"vm-{n}") for n in range(1, 6)])

    def passes() -> Counter[str]:
        with Session(service.uow.engine) as session:
            return Counter({row.name: row.passes for row in session.scalars(select(ResourceRow))})

    before = passes()
    world.send(egress("late", 70, resource="vm-3", start="2026-09-02T23:30:00Z", end="2026-09-03T00:30:00Z"))
    assert set(passes() - before) == {"vm-3"}
    with Session(service.uow.engine) as session:
        assert session.scalars(select(StaleUsageRow)).all() == []
    found = world.mara.usage.sum("tarnwick", "2026-09", by=["day", "resource"]).items
    assert {(each.keys["day"], each.quantity) for each in found if each.keys["resource"] == "vm-3"} == {
        ("2026-09-03", Decimal(70)),  # Dublin is an hour ahead of UTC, so all of it is on one day there.
        ("2026-09-10", Decimal(3)),
    }


def test_the_edges_of_a_month_are_those_of_its_zone(world: World) -> None:
    """Whole UTC days are summed by their totals, those that the month cuts by their hours."""
    for identity, start, end in (
        ("before", "2026-08-31T22:00:00Z", "2026-08-31T23:00:00Z"),
        ("first", "2026-08-31T23:00:00Z", "2026-09-01T00:00:00Z"),
        ("inside", "2026-09-15T00:00:00Z", "2026-09-15T12:00:00Z"),
        ("last", "2026-09-30T22:00:00Z", "2026-09-30T23:00:00Z"),
        ("after", "2026-09-30T23:00:00Z", "2026-10-01T00:00:00Z"),
    ):
        world.send(egress(identity, 10 ** (2 + len(identity)), start=start, end=end, resource=identity))
    september = Decimal(10**7 + 10**8 + 10**6)

    assert total(world) == total(world, by=["day"]) == total(world, by=["resource", "project"]) == september
    in_utc = world.mara.usage.sum("tarnwick", "2026-09", by=["resource"]).items
    assert {each.keys["resource"] for each in in_utc} == {"first", "inside", "last"}


def test_packed_usage_is_all_that_was_accepted_also_where_nobody_owns_it(world: World, service: Service) -> None:
    """In count and in quantity: each reading is on the day on which it begins, and totals are the sum of hours."""
    world.send(
        egress("a", 10**15),
        egress("b", 77, start="2026-09-10T20:00:00Z", end="2026-09-11T05:00:00Z"),
        egress("c", 5, owner=None, account="acct-9"),
        reading("d"),
        egress("e", 9),
        egress("e", 8, sequence=1),
    )
    with Session(service.uow.engine) as session:
        rows = session.scalars(select(UsageDayRow)).all()
    hours = unpack([row.day.toordinal() for row in rows], [row.hours for row in rows], [row.slots for row in rows])
    sums = Counter[int]()
    for row, quantity in zip(hours.row.tolist(), hours.quantity.to_list(), strict=True):
        sums[row] += quantity

    assert [Decimal(sums[row]).scaleb(-6) for row in range(len(rows))] == [row.total for row in rows]
    assert sum(row.readings for row in rows) == 5
    assert sum(row.total for row in rows) == 10**15 + 77 + 5 + 8 + 4 * 6 * 3600
    assert {row.project_number == 0: row.total for row in rows if row.total == 5} == {True: Decimal(5)}
