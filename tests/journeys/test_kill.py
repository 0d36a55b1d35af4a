"""kill -9 of the service or its database in the middle of things: nothing lost, nothing twice."""

import os
import signal
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import psutil
import pytest
from sqlalchemy import update

from gradumen.client import Client
from gradumen.core.errors import Conflict, GradumenError
from gradumen.core.permissions import Role
from gradumen.core.tasks import Lease
from gradumen.run.database import start_private_database
from gradumen.store.billing.tables import BillRunRow, InvoiceRow
from gradumen.store.tasks import TaskRow
from gradumen.usecases import tasks
from gradumen.usecases.billing import bill_runs
from tests.conftest import Service
from tests.journeys.conftest import Started, directory
from tests.journeys.process import Process
from tests.world import World, closing, egress

FEED = "tarnwick/north-fell"


@pytest.fixture(scope="module")
def alone(started: Started) -> Iterator[Process]:
    """A service of its own, with its private database, killed in one test after the other."""
    with started() as service:
        yield service
        service.stop()
        pid_file = service.data / "database" / "db.pid"
        assert not pid_file.exists() or not psutil.pid_exists(int(pid_file.read_text())), "the database stopped with it"


def used(world: World) -> Decimal:
    """What was sent out in September, by all."""
    return sum((each.quantity for each in world.mara.usage.sum("tarnwick", "2026-09", wait=60).items), Decimal(0))


def test_a_service_killed_in_mid_batch_loses_and_doubles_nothing(alone: Process) -> None:
    """A sender repeats each batch until it is answered, while the service is killed twice."""
    with closing(World(alone.url)) as world:
        batches = [[egress(f"{b}-{n}", 7, resource=f"vm-{n}") for n in range(400)] for b in range(16)]
        token = world.mara.tokens.create("tarnwick", name="sender", role=Role.ADMINISTRATOR).secret
        answered = threading.Semaphore(0)
        before = used(world)
        interrupted: list[str] = []
        deadline = time.monotonic() + 300

        def send() -> None:
            with Client(alone.url, token, timeout=30) as client:
                for batch in batches:
                    while True:
                        try:
                            outcome = client.readings.send(FEED, batch)
                        except GradumenError as error:
                            interrupted.append(str(error))
                            assert time.monotonic() < deadline
                            time.sleep(0.05)
                            continue
                        assert outcome.refused == 0
                        assert outcome.accepted + outcome.known == len(batch)
                        answered.release()
                        break

        sender = threading.Thread(target=send, daemon=True)
        sender.start()
        database = alone.database_pid
        for _ in range(2):
            for _ in range(3):
                assert answered.acquire(timeout=60)
            time.sleep(0.03)
            alone.kill()
            alone.start()
        sender.join(120)
        assert not sender.is_alive()
        assert interrupted, "the sender must have noticed"
        assert alone.database_pid == database, "the database was adopted, not started again"
        world.reconnect()
        assert used(world) == before + 16 * 400 * 7


def test_a_service_killed_in_mid_bill_run_bills_everything_once(alone: Process) -> None:
    with closing(World(alone.url)) as world:
        for batch in range(6):
            world.send(
                *[
                    egress(f"billed-{batch}-{n}", 10**9 + n, resource=f"vm-{n}", owner="quillstone/archive")
                    for n in range(1500)
                ]
            )
        expected = {
            link.buyer: link.net for link in world.mara.spend.period_so_far("tarnwick", "2026-09", wait=60).links
        }
        run = world.mara.bill_runs.start("tarnwick", "2026-09")
        while world.mara.bill_runs.get(run.id).state == "waiting":
            time.sleep(0.005)
        alone.kill()
        alone.start()
        world.reconnect()
        finished = world.mara.bill_runs.wait(run.id, seconds=60)
        assert (finished.state, finished.drafts) == ("done", 2)
        drafts = sorted(world.mara.invoices.list(state="draft"), key=lambda each: each.buyer)
        first = world.mara.invoices.issue(drafts[0].id)
        alone.kill()
        alone.start()
        world.reconnect()
        numbers = [world.mara.invoices.issue(draft.id).number for draft in drafts]
        assert first.number == numbers[0]
        assert numbers == ["TARNWICK-2026-00001", "TARNWICK-2026-00002"]
        assert {each.buyer for each in drafts} == {"oxbow", "quillstone"}
        again = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
        assert (again.state, again.drafts) == ("done", 0)
        # August was never billed, so each document has its fee beside what the period so far showed.
        august = {"quillstone": Decimal("79.00"), "oxbow": Decimal("13.93")}
        billed = {draft.buyer: world.mara.invoices.get(draft.id).net for draft in drafts}
        assert billed == {buyer: expected[buyer] + fee for buyer, fee in august.items()}


def test_a_killed_database_is_started_again_and_has_everything(alone: Process) -> None:
    with closing(World(alone.url)) as world:
        before = used(world)
        world.send(egress("a", 5))
        os.kill(alone.database_pid, signal.SIGKILL)
        deadline = time.monotonic() + 30
        while True:
            try:
                world.send(egress("b", 6))
                break
            except GradumenError:
                assert time.monotonic() < deadline
                time.sleep(0.2)
        assert used(world) == before + 11


def test_a_worker_that_lost_its_lease_writes_nothing(world: World, service: Service) -> None:
    """The fence of the later lease wins; the earlier worker's drafts are refused, the later one's made."""
    world.send(egress("a", 10**12))
    run = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    with service.uow.engine.begin() as connection:
        lease = datetime.now(UTC) + timedelta(hours=1)
        again = update(TaskRow).where(TaskRow.id == run.id)
        connection.execute(again.values(state="running", fence=7, lease_until=lease))
        connection.execute(update(BillRunRow).where(BillRunRow.id == run.id).values(finished_at=None))
    before = {each.id for each in world.mara.invoices.list(state="draft")}
    early, late = (Lease(run.id, fence, "bill run", "2026-09", None, None, {}, 1) for fence in (6, 7))
    buyers = bill_runs.list_buyers(service.uow, lease=late)
    assert len(buyers) == 2
    with pytest.raises(Conflict, match="another worker"):
        bill_runs.make_drafts(service.uow, lease=early, buyers=buyers[:1], at=datetime.now(UTC))
    tasks.fail_task(service.uow, lease=early, problem="too late", again=True, at=datetime.now(UTC))
    assert {each.id for each in world.mara.invoices.list(state="draft")} == before
    assert world.mara.bill_runs.get(run.id).state == "running"
    with service.uow.engine.begin() as connection:
        # Else they would stay, being as they would be made.
        connection.execute(update(InvoiceRow).values(digest=None))
    for buyer in buyers:
        bill_runs.make_drafts(service.uow, lease=late, buyers=[buyer], at=datetime.now(UTC))
    assert bill_runs.finish_run(service.uow, lease=late, at=datetime.now(UTC)) == 2
    after = {each.id for each in world.mara.invoices.list(state="draft")}
    assert (len(before), len(after), before & after) == (2, 2, set())


def test_a_private_database_is_adopted_and_a_stale_pid_file_is_not() -> None:
    with directory() as folder:
        data = folder / "database"
        first = start_private_database(data, fast=True, pool_mib=64)
        second = start_private_database(data, fast=True, pool_mib=64)
        assert (second.pid, second.adopted) == (first.pid, True)
        first.stop()
        (data / "db.pid").write_text(str(os.getpid()))
        third = start_private_database(data, fast=True, pool_mib=64)
        assert not third.adopted
        third.stop()
