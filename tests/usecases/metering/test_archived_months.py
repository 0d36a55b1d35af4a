"""Months of readings are archived and brought back: nothing that is shown of them changes, and they are fixed."""

from datetime import date
from decimal import Decimal
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from gradumen.core.errors import Conflict, Forbidden, Invalid
from gradumen.store.metering import archived_months as store
from gradumen.usecases.metering import archived_months
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Begin, Service, settle
from tests.usecases.metering.test_cost_quantities import counted, send, used, used_row
from tests.usecases.metering.test_imported_costs import FEED, costs
from tests.usecases.metering.test_kind_rules import put as put_kinds
from tests.usecases.metering.test_kind_rules import rule as kind_rule
from tests.usecases.metering.test_ownership_rules import put, rule
from tests.world import GIB, World, egress, moment, reading
from tests.worlds.balance import unbalanced

__all__ = ["costs", "counted"]
QUILLSTONE, HARBOUR = "quillstone/archive", "saltmarsh/harbour"
LATER = "2027-02-01"


def at(start: str, end: str) -> dict[str, str]:
    return {"start": f"2026-{start}:00Z", "end": f"2026-{end}:00Z"}


NOBODYS: dict[str, Any] = {"owner": None, "account": "acc-7", "resource": "uplink"}
LAST_DAY = at("09-30T20:00", "10-01T02:00")


@pytest.fixture
def archive(world: World, monkeypatch: pytest.MonkeyPatch, begin: Begin) -> World:
    """Two months that are billed, with all that can be in them; half a year later."""
    # Of two resources at most, so that each month has several parts.
    monkeypatch.setattr(store, "PART", 5)

    def make() -> None:
        half = {QUILLSTONE: Decimal(1), HARBOUR: Decimal(2)}
        shared = OwnershipRuleForm(
            name="Both", shares=half, starts_on=date(2026, 8, 1), conditions={"account": "acc-7"}
        )
        put(world, shared)
        world.send(
            reading("before", resource="vm-0", **at("08-20T00:00", "08-20T06:00")),
            # Across the beginning of the month of Dublin, and of UTC.
            reading("border", **at("08-31T22:30", "08-31T23:30")),
            reading("border-2", **at("08-31T22:00", "09-01T04:00")),
            *(reading(f"a-{day}", **at(f"09-{day:02d}T00:00", f"09-{day:02d}T06:00")) for day in range(2, 8)),
            egress("b", 60 * GIB, owner=QUILLSTONE, resource="vm-q", **at("09-10T05:00", "09-10T06:00")),
            egress("shared", 1_000_003, **NOBODYS, **at("09-11T00:30", "09-11T04:00")),
            egress("lost", 7, owner=None, account="acc-8", resource="vault", **at("09-12T00:30", "09-12T04:00")),
            reading("unknown", meter="gpu_hours", unit="hours", **at("09-12T00:00", "09-12T06:00")),
            reading("last", resource="vm-9", **LAST_DAY),
            egress("now", 5, **at("10-01T05:00", "10-01T06:00")),
        )
        world.send(
            egress("b", 61 * GIB, owner=QUILLSTONE, resource="vm-q", sequence=1, **at("09-10T05:00", "09-10T06:00"))
        )
        for period in ("2026-08", "2026-09"):
            world.close("tarnwick", "mara", period)
            world.close("oxbow", "edda", period)
        # What is issued says what it was made from, whatever comes afterwards.
        world.send(reading("a-2", quantity="5", sequence=1, **at("09-02T00:00", "09-02T06:00")))
        world.mara.clock.set(moment(LATER), held=True)

    begin(make)
    return world


def shown(world: World) -> dict[str, Any]:
    """All that is told of these months."""
    mara = world.mara
    found: dict[str, Any] = {}
    for period in ("2026-08", "2026-09", "2026-10"):
        used = mara.usage.sum("tarnwick", period, by=("project", "resource"), wait=60).items
        found[f"used {period}"] = {(each.meter, *each.keys.values()): each.quantity for each in used}
        found[f"balance {period}"] = [
            (each.feed, each.meters, each.open) for each in mara.feed_balances.get("tarnwick", period, wait=60).items
        ]
    found["unowned"] = mara.ownership_rules.unowned("tarnwick", "2026-09").items
    for name in ("uplink", "vm-9"):
        found[f"owners {name}"] = mara.ownership_rules.of_resource("tarnwick", "2026-09", name).items
    for user in ("mara", "edda"):
        client = world.user(user)
        for invoice in client.invoices.list(state="issued"):
            for line in client.invoices.get(invoice.id).lines:
                assert line.charge_id is not None
                found[f"readings {line.charge_id}"] = told = client.charges.readings(line.charge_id)
                assert client.charges.readings(line.charge_id, limit=2) == told[:2]
    return found


def move(world: World, before: str | None) -> None:
    body = world.mara.archived_months.set(before)
    if body.task is not None:
        task = world.mara.tasks.follow(body.task, seconds=60)
        assert task.state == "done", task.problem
    world.settle()


def rows(owner: Engine) -> int:
    with owner.connect() as connection:
        return int(connection.scalar(text("SELECT COUNT(*) FROM readings")) or 0)


def test_all_that_is_told_of_archived_months_stays(archive: World, service: Service, owner: Engine) -> None:
    before, there = shown(archive), rows(owner)
    assert any(name.startswith("readings") and told for name, told in before.items())
    move(archive, "2026-10")
    body = archive.mara.archived_months.get()
    assert (body.before, body.task) == ("2026-10", None)
    by_month = {each.month: each.archived for each in body.items}
    assert sum(by_month.values()) == there - rows(owner) == 14, "all but what nobody knows, ends later or is of October"
    assert shown(archive) == before
    move(archive, "2026-10")
    assert shown(archive) == before and {each.month: each.archived for each in body.items} == by_month
    # Only September comes back, with what of August reaches into it.
    move(archive, "2026-09")
    assert shown(archive) == before and archive.mara.archived_months.get().before == "2026-09"
    # The month in rows can be made again, though in Dublin it begins within the one before.
    remade = archive.mara.usage_remakes.start("tarnwick", "2026-09").id
    assert archive.mara.tasks.follow(remade, seconds=60).state == "done"
    assert shown(archive) == before
    move(archive, None)
    assert shown(archive) == before and rows(owner) == there
    assert archive.mara.archived_months.get().items[0].archived == 0
    with service.uow.engine.connect() as connection:
        left = connection.scalar(text("SELECT COALESCE(SUM(readings + replaced + ABS(summed)), 0) FROM archived_sums"))
    assert left == 0
    settle(service.uow.engine)
    assert unbalanced(service.uow) == {}


def test_it_can_be_stopped_at_each_part(archive: World, service: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    before = shown(archive)
    parts = 0
    real = store.archive_part, store.bring_back_part

    def stopped(of: Any) -> Any:
        def part(*arguments: Any) -> Any:
            nonlocal parts
            parts += 1
            if parts % 3 == 2:
                raise Conflict("stopped by the test")
            return of(*arguments)

        return part

    monkeypatch.setattr(store, "archive_part", stopped(real[0]))
    monkeypatch.setattr(store, "bring_back_part", stopped(real[1]))
    for wanted in ("2026-10", None):
        task_id = archive.mara.archived_months.set(wanted).task
        assert isinstance(task_id, UUID)
        while (task := archive.mara.tasks.follow(task_id, seconds=60)).state == "needs a hand":
            assert shown(archive) == before, "each reading is in one place, however far it came"
            archive.mara.tasks.retry(task_id)
        assert task.state == "done" and shown(archive) == before
    assert parts > 6


def test_what_is_archived_is_fixed(archive: World) -> None:
    mara = archive.mara
    move(archive, "2026-10")
    before = shown(archive)
    again = reading("a-3", **at("09-03T00:00", "09-03T06:00"))
    outcome = mara.readings.send(
        "tarnwick/north-fell",
        [
            again,
            reading("a-4", quantity="9", sequence=1, **at("09-04T00:00", "09-04T06:00")),
            reading("a-5", quantity="9", sequence=1, **at("10-02T00:00", "10-02T06:00")),
            reading("new", **at("09-30T23:00", "10-01T01:00")),
            reading("last", resource="vm-9", quantity="9", sequence=1, **LAST_DAY),
        ],
    )
    assert [each.status for each in outcome.outcomes] == ["known", *["refused"] * 4]
    for each in outcome.outcomes[1:]:
        assert "before 2026-10-01, and what was measured before then is archived" in (each.reason or "")
        assert each.field == "start"
    assert shown(archive) == before
    with pytest.raises(Conflict, match="bring 2026-09 back first"):
        mara.usage_remakes.start("saltmarsh", "2026-09")
    # What nobody knew stays unknown, and is not charged late by the back door.
    put_kinds(archive, kind_rule("Hours", "compute/vcpu", date(2026, 8, 1), meter="gpu_hours", unit="vCPU-hour"))
    [unknown] = mara.kind_rules.unknown("tarnwick", "2026-09").items
    assert (unknown.sent_meter, unknown.readings) == ("gpu_hours", 1)
    # A rule of the whole year takes what came since, and nothing of before.
    put(archive, rule("All", "quillstone/archive", date(2026, 8, 1), account="acc-8"))
    archive.send(egress("found", 9, owner=None, account="acc-8", resource="vault", **at("10-03T05:00", "10-03T06:00")))
    after = shown(archive)
    for period in ("2026-08", "2026-09"):
        assert after[f"used {period}"] == before[f"used {period}"]
    assert after["used 2026-10"]["network/egress", QUILLSTONE, "vault"] == 9
    # Once it is back, it follows from what is known by then.
    move(archive, None)
    put(archive, rule("All the same", "quillstone/archive", date(2026, 8, 1), account="acc-8"))
    assert shown(archive)["used 2026-09"]["network/egress", QUILLSTONE, "vault"] == 7
    archive.send(reading("new", **at("09-30T23:00", "10-01T01:00")))


def test_a_delivery_of_what_is_archived_cannot_be_taken_back(archive: World) -> None:
    mara = archive.mara
    old = mara.readings.send("tarnwick/north-fell", [egress("old", 5, **at("09-20T05:00", "09-20T06:00"))])
    new = mara.readings.send("tarnwick/north-fell", [egress("new", 5, **at("10-20T05:00", "10-20T06:00"))])
    archive.settle()
    move(archive, "2026-10")
    with pytest.raises(Conflict, match="archived"):
        mara.deliveries.take_back(old.delivery_id)
    assert mara.deliveries.take_back(new.delivery_id).taken_back_at
    move(archive, None)
    assert mara.deliveries.take_back(old.delivery_id).taken_back_at


def test_what_cannot_be_archived_is_refused(archive: World, service: Service) -> None:
    mara = archive.mara
    with pytest.raises(Invalid, match="take 2026-11 or earlier") as late:
        mara.archived_months.set("2026-12")
    assert late.value.facts["field"] == "before"
    with pytest.raises(Invalid):
        mara.archived_months.set("2026-13")
    for user in ("oda", "finn", "edda", "ines"):
        with pytest.raises(Forbidden):
            archive.user(user).archived_months.set("2026-10")
    assert archive.user("oda").archived_months.get().before is None
    with pytest.raises(Forbidden):
        archive.user("edda").archived_months.get()
    with service.worker.gate:
        mara.readings.send("tarnwick/north-fell", [egress("waits", 5, **at("09-20T05:00", "09-20T06:00"))])
        with pytest.raises(Conflict, match="still being made"):
            mara.archived_months.set("2026-10")
    archive.settle()
    move(archive, "2026-10")
    assert archived_months.KEPT_MONTHS == 3


def test_what_cost_files_say_was_used_is_fixed_too_and_read_once_it_is_back(counted: World, service: Service) -> None:
    send(counted, used_row("24"), used_row("10", 4))
    before = used(service, counted)
    counted.mara.clock.set(moment(LATER), held=True)
    move(counted, "2026-10")
    send(counted, used_row("12", 4), at="2026-09-24 06:00", confirmed=True)
    counted.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=False)
    assert used(service, counted) == before
    counted.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=True)
    assert used(service, counted) == before
    told = text("SELECT SUM(refused), MAX(first_refusal) FROM deliveries WHERE is_read_again")
    [(refused, why)] = service.uow.run(lambda tx: tx.execute(told).all())
    assert refused == 1 and "archived" in why
    move(counted, None)
    place = ("compute/vcpu", "archive", "2026-09-04")
    assert (before[place], used(service, counted)[place]) == (40 * 3600, 48 * 3600)
    counted.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=False)
    assert used(service, counted) == {}, "nothing of it is left that nobody knows of"
