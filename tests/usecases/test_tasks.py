"""Tasks: every failure is an attempt that is seen, a worker that is gone loses nothing, and nobody does one twice."""

import threading
import time
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from uuid import UUID

import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.permissions import Role
from gradumen.core.tasks import pause_after
from gradumen.jobs.leases import Held
from gradumen.jobs.worker import Worker
from gradumen.usecases import tasks
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from gradumen.wire.tasks import TaskBody
from tests.conftest import Service
from tests.world import World, egress

Make = Callable[[Held], None]


@pytest.fixture
def instead(service: Service, monkeypatch: pytest.MonkeyPatch) -> Callable[[Make], None]:
    """Put something else in the place of what makes bill runs."""

    def put(make: Make) -> None:
        monkeypatch.setitem(service.worker._kinds, tasks.BILL_RUN, make)

    return put


def wait_for(world: World, task: UUID, holds: Callable[[TaskBody], bool]) -> TaskBody:
    deadline = time.monotonic() + 120
    while not holds(found := world.mara.tasks.get(task)):
        assert time.monotonic() < deadline, found
        time.sleep(0.02)
    return found


def ended(attempt: int) -> Callable[[TaskBody], bool]:
    return lambda task: task.attempts == attempt and task.state != "running"


def make_due(service: Service, task: UUID) -> None:
    """As if the rest after a failed attempt were over."""
    with service.uow.engine.begin() as connection:
        connection.execute(text("UPDATE tasks SET not_before = asked_at WHERE id = :id"), {"id": task.hex})


def test_what_fails_unexpectedly_is_tried_again_and_then_needs_a_hand(
    world: World, service: Service, instead: Callable[[Make], None]
) -> None:
    attempts: list[int] = []

    def fail(held: Held) -> None:
        attempts.append(held.lease.attempt)
        with held.step("divide", by=0):
            _ = 1 / 0

    instead(fail)
    run = world.mara.bill_runs.start("tarnwick", "2026-09").id
    resting = wait_for(world, run, lambda task: task.attempts == 1 and task.state == "waiting")
    assert resting.problem is not None and "ZeroDivisionError" in resting.problem
    assert resting.not_before > datetime.now(UTC)
    for attempt in range(2, 6):
        make_due(service, run)
        wait_for(world, run, ended(attempt))
    stuck = world.mara.tasks.get(run)
    assert (stuck.state, attempts) == ("needs a hand", [1, 2, 3, 4, 5])
    assert [(step.attempt, step.state, step.inputs) for step in stuck.steps] == [
        (n, "needs a hand", {"by": 0}) for n in range(1, 6)
    ]
    assert world.mara.bill_runs.get(run).state == "needs a hand"
    assert pause_after(5) is None


def test_what_was_refused_waits_for_a_person_and_is_done_when_tried_again(world: World) -> None:
    tenant = OrganisationCreate(
        parent="tarnwick", type="tenant", slug="faraway", name="Far", country="JP", currency="EUR"
    )
    world.mara.organisations.create(tenant)
    world.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="faraway", plan="open-range", tier="heath", name="Range", starts_on=date(2026, 9, 1)
        )
    )
    run = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    stuck = world.mara.tasks.get(run.id)
    assert (stuck.state, stuck.attempts) == ("needs a hand", 1)
    assert "no tax rate for buyers in JP" in (stuck.problem or "")
    with pytest.raises(Forbidden):
        world.user("oda").tasks.retry(run.id)
    world.mara.tax_rates.set("tarnwick", country="JP", percent=Decimal(0), starts_on=date(2020, 1, 1), category="O")
    world.user("finn").tasks.retry(run.id)
    done = world.mara.tasks.follow(run.id)
    assert (done.state, done.problem) == ("done", None)
    assert [(step.attempt, step.state) for step in done.steps] == [
        (1, "done"),
        (1, "done"),
        (1, "needs a hand"),
        (2, "done"),
        (2, "done"),
        (2, "done"),
    ]
    assert world.mara.bill_runs.get(run.id).drafts == 3
    assert "task tried again" in [each.action for each in world.mara.audit_entries.list("tarnwick")]
    with pytest.raises(Conflict, match="nothing to try again"):
        world.mara.tasks.retry(run.id)


def test_a_run_started_again_takes_the_place_of_one_that_needs_a_hand(
    world: World, service: Service, instead: Callable[[Make], None]
) -> None:
    def refuse(_: Held) -> None:
        raise Conflict("not today")

    make = service.worker._kinds[tasks.BILL_RUN]
    instead(refuse)
    first = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    instead(make)
    second = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    assert (first.state, first.problem, second.state) == ("needs a hand", "not today", "done")
    assert world.mara.bill_runs.get(first.id).state == "undone"
    assert {each.id for each in world.mara.tasks.list("tarnwick", state="open")} == set()


def test_a_task_whose_worker_is_gone_is_taken_by_another(
    world: World, service: Service, instead: Callable[[Make], None]
) -> None:
    """The first worker holds the task for ever and says nothing; its lease runs out."""
    gone, begun = threading.Event(), threading.Event()
    make = service.worker._kinds[tasks.BILL_RUN]

    def hang(held: Held) -> None:
        if held.lease.attempt == 1:
            with held.step("wait for ever"):
                begun.set()
                gone.wait(20)
        else:
            make(held)

    instead(hang)
    run = world.mara.bill_runs.start("tarnwick", "2026-09").id
    assert begun.wait(10)
    with service.uow.engine.begin() as connection:
        connection.execute(text("UPDATE tasks SET lease_until = asked_at WHERE id = :id"), {"id": run.hex})
    other = Worker(service.uow, service.worker.owner)
    other._kinds[tasks.BILL_RUN] = hang
    assert other.do_next()
    done = world.mara.tasks.get(run)
    assert (done.state, done.attempts) == ("done", 2)
    assert [(step.attempt, step.state) for step in done.steps] == [(1, "undone")] + [(2, "done")] * 3
    gone.set()
    time.sleep(0.2)
    assert world.mara.tasks.get(run) == done, "the first worker writes nothing any more, its own step included"


def test_two_workers_never_have_one_task(world: World, service: Service, instead: Callable[[Make], None]) -> None:
    """Four workers at a gate, ten tasks: each task is done once."""
    done: list[str] = []
    block, at_gate = threading.Event(), threading.Event()

    def hold(held: Held) -> None:
        if held.lease.subject == "2026-09" and not at_gate.is_set():
            at_gate.set()
            block.wait(20)
        else:
            done.append(held.lease.subject)

    instead(hold)
    world.mara.bill_runs.start("tarnwick", "2026-09")
    assert at_gate.wait(10), "the service's own worker is busy now"
    months = [f"2025-{month:02d}" for month in range(1, 11)]
    for month in months:
        world.mara.bill_runs.start("tarnwick", month)
    others = [Worker(service.uow, service.worker.owner) for _ in range(4)]
    gate = threading.Barrier(4)

    def work(other: Worker) -> None:
        other._kinds[tasks.BILL_RUN] = hold
        gate.wait()
        while other.do_next():
            pass

    threads = [threading.Thread(target=work, args=(other,)) for other in others]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    block.set()
    assert sorted(done) == months


def test_many_drafts_are_issued_by_one_call_in_the_order_of_their_buyers(world: World) -> None:
    world.send(egress("a", 10**12), egress("b", 10**12, owner="quillstone/archive"))
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    finn = world.user("finn")
    first = finn.invoices.issue_many("tarnwick", key="once")
    assert finn.invoices.issue_many("tarnwick", key="once").id == first.id, "one call, one task"
    done = finn.tasks.follow(first.id)
    assert (done.state, done.made, done.total, done.counted, done.asked_by) == (
        "done",
        len(drafts),
        len(drafts),
        "drafts",
        "finn@tarnwick.example",
    )
    issued = sorted((finn.invoices.get(each.id) for each in drafts), key=lambda each: each.number or "")
    assert [each.buyer for each in issued] == sorted(each.buyer for each in drafts)
    with pytest.raises(Conflict, match="no drafts to issue"):
        finn.invoices.issue_many("tarnwick")
    with pytest.raises(NotFound):
        world.user("piers").invoices.issue_many("oxbow", [drafts[0].id])


def test_who_lost_the_right_meanwhile_issues_nothing(
    world: World, service: Service, instead: Callable[[Make], None]
) -> None:
    world.send(egress("a", 10**12))
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    at_gate, block = threading.Event(), threading.Event()

    def hold(_: Held) -> None:
        at_gate.set()
        block.wait(20)

    instead(hold)
    world.mara.bill_runs.start("tarnwick", "2026-08")
    assert at_gate.wait(10)
    task = world.user("finn").invoices.issue_many("tarnwick")
    member = next(each for each in world.mara.members.list("tarnwick") if each.email == "finn@tarnwick.example")
    world.mara.members.change("tarnwick", member.user_id, role=Role.VIEWER)
    block.set()
    stuck = world.mara.tasks.follow(task.id)
    assert stuck.state == "needs a hand"
    assert "could not be issued" in (stuck.problem or "")
    assert {world.mara.invoices.get(each.id).state for each in drafts} == {"draft"}


def test_the_list_is_read_page_by_page_and_by_state(world: World) -> None:
    runs = [world.mara.bill_runs.start("tarnwick", f"2025-{month:02d}").id for month in range(1, 6)]
    for run in runs:
        world.mara.tasks.follow(run)
    http = world.mara.connection.http
    seen: list[str] = []
    after = None
    while True:
        query = {"kind": "bill run", "limit": 2, **({"after": after} if after else {})}
        page = http.get("organisations/tarnwick/tasks", params=query).json()
        seen += [each["id"] for each in page["items"]]
        after = page["next"]
        if after is None:
            break
    assert seen == [str(run) for run in reversed(runs)]
    assert world.mara.tasks.list("tarnwick", state="waiting") == []
    with pytest.raises(Invalid, match="is none of: open"):
        world.mara.tasks.list("tarnwick", state="finished")


def test_what_the_service_does_by_itself_is_the_providers_and_done_once_a_day(world: World, service: Service) -> None:
    today = datetime.now(UTC)
    for _ in range(3):
        tasks.schedule_day(service.uow, at=today)
    tasks.schedule_day(service.uow, at=today - timedelta(days=1))
    deadline = time.monotonic() + 120
    while {each.state for each in world.mara.tasks.list("tarnwick", kind=tasks.MONTHS)} != {"done"}:
        assert time.monotonic() < deadline
        time.sleep(0.05)
    found = world.mara.tasks.list("tarnwick", kind=tasks.MONTHS)
    assert len(found) == 2
    assert (found[0].organisation, found[0].asked_by) == (None, None)
    assert world.user("edda").tasks.list("oxbow", kind=tasks.MONTHS) == []
    with pytest.raises(NotFound):
        world.user("edda").tasks.get(found[0].id)
    assert world.mara.tasks.get(found[0].id).steps[0].result is not None


def test_a_lease_is_kept_while_the_work_goes_on(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gradumen.jobs.leases.BEAT", timedelta(milliseconds=20))
    leases: list[datetime] = []

    def look(held: Held) -> None:
        for _ in range(2):
            with service.uow.engine.connect() as connection:
                query = text("SELECT lease_until FROM tasks WHERE id = :id")
                leases.append(connection.scalar(query, {"id": held.lease.task.hex}))
            time.sleep(0.3)

    monkeypatch.setitem(service.worker._kinds, tasks.BILL_RUN, look)
    world.mara.tasks.follow(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    assert leases[1] > leases[0]


def test_a_draft_that_is_gone_by_then_is_named_and_the_others_are_issued(
    world: World, service: Service, instead: Callable[[Make], None]
) -> None:
    """Two drafts are asked for; one is discarded before the task comes to it."""
    world.send(egress("a", 10**12), egress("b", 10**12, owner="quillstone/archive"))
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    gone, kept = sorted(drafts, key=lambda each: each.buyer)
    at_gate, block = threading.Event(), threading.Event()

    def hold(_: Held) -> None:
        at_gate.set()
        block.wait(20)

    instead(hold)
    finn = world.user("finn")
    finn.bill_runs.start("tarnwick", "2026-08")
    assert at_gate.wait(10)
    task = finn.invoices.issue_many("tarnwick", [kept.id, gone.id])
    finn.invoices.discard(gone.id)
    block.set()
    stuck = finn.tasks.follow(task.id)
    assert (stuck.state, stuck.made, stuck.total) == ("needs a hand", 1, 2)
    assert "1 of 2 drafts could not be issued" in (stuck.problem or "")
    assert str(gone.id) in stuck.steps[-1].log
    assert finn.invoices.get(kept.id).number == "TARNWICK-2026-00001"
    with pytest.raises(NotFound):
        finn.invoices.get(gone.id)


def test_rests_grow_and_end() -> None:
    rests = [pause_after(attempt) for attempt in range(1, 7)]
    assert rests[:4] == sorted(each for each in rests[:4] if each)
    assert rests[4:] == [None, None]
