"""The service's processes: each that dies is started again, and none outlives its parent."""

import json
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import psutil
import pytest

from gradumen.client import Client
from gradumen.core.errors import GradumenError
from gradumen.run.child import Told
from gradumen.run.processes import Child
from gradumen.settings import Settings
from tests.journeys.conftest import Started
from tests.journeys.process import Process
from tests.world import World, closing, egress


@pytest.fixture(scope="module")
def several(started: Started) -> Iterator[Process]:
    """A service with two processes of each kind."""
    with started(GRADUMEN_API_PROCESSES="2", GRADUMEN_WORKER_PROCESSES="2") as service:
        yield service


@pytest.fixture(scope="module")
def made(several: Process) -> Iterator[World]:
    with closing(World(several.url)) as world:
        yield world


def until(holds: Callable[[], bool], seconds: float = 30) -> None:
    deadline = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < deadline
        time.sleep(0.05)


def test_any_process_answers_and_any_does_the_work(several: Process, made: World) -> None:
    """Set up by one process, used by the other: nothing is known by one of them alone."""
    assert (len(several.children("api")), len(several.children("worker"))) == (2, 2)
    assert not (several.data / "set-up-code").exists()
    for _ in range(12):
        with Client(several.url) as client:
            client.sign_in("mara@tarnwick.example", "a long enough password")
            assert client.session().email == "mara@tarnwick.example"


def test_a_process_that_dies_is_started_again(several: Process, made: World) -> None:
    for kind in ("api", "worker"):
        before = {each.pid for each in several.children(kind)}
        for each in several.children(kind):
            each.send_signal(signal.SIGKILL)
        until(lambda: len({each.pid for each in several.children(kind)} - before) == 2)  # noqa: B023  # called at once
    several.wait_until_ready()
    made.reconnect()
    made.send(egress("after", 10**12))
    run = made.mara.bill_runs.wait(made.mara.bill_runs.start("tarnwick", "2026-09").id, seconds=60)
    assert (run.state, run.drafts) == ("done", 2)


def test_a_worker_killed_in_its_task_leaves_it_to_the_other(several: Process, made: World) -> None:
    """The lease of the one that is gone runs out in two minutes; a shorter one is set here by hand."""
    for number in range(3):
        made.send(*[egress(f"w{number}-{n}", 10**9, resource=f"vm-{n}") for n in range(1500)])
    run = made.mara.bill_runs.start("tarnwick", "2026-09").id
    until(lambda: made.mara.tasks.get(run).state != "waiting")
    for each in several.children("worker"):
        each.send_signal(signal.SIGKILL)
    task = made.mara.tasks.get(run)
    if task.state == "running":
        several.stop()  # Its start lets go what processes that are gone had.
        several.start()
        made.reconnect()
    done = made.mara.tasks.follow(run, seconds=60)
    assert done.state == "done"
    assert made.mara.bill_runs.get(run).drafts == 2


def test_no_process_outlives_its_parent(several: Process, made: World) -> None:
    children = [*several.children("api"), *several.children("worker")]
    several.kill()
    _, alive = psutil.wait_procs(children, timeout=10)
    assert alive == []
    several.start()
    made.reconnect()
    assert made.mara.session().email == "mara@tarnwick.example"


def test_a_second_service_on_the_port_is_refused_by_name(several: Process, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "gradumen.cli.main", "serve", "--data", str(tmp_path), "--port", str(several.port)]
    second = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert second.returncode == 1
    assert f"cannot listen on 127.0.0.1:{several.port}" in second.stderr
    assert not (tmp_path / "database").exists()


def test_it_stops_with_all_its_processes(several: Process) -> None:
    children = [*several.children("api"), *several.children("worker")]
    several.stop()
    _, alive = psutil.wait_procs(children, timeout=5)
    assert alive == []
    said = (several.data / "service.log").read_text().rpartition("stopping\n")[2]
    assert said == "", "each of them ended as it should"
    with pytest.raises(GradumenError), Client(several.url) as client:
        client.session()


def test_what_a_process_is_told_is_one_line_and_stands_in_no_list_of_processes(tmp_path: Path) -> None:
    told = Told(Settings(data=tmp_path, port=8471), "mysql://service:secret@db/g", "mysql://owner:secret@db/g", 7)
    line = told.written()
    assert line.endswith(b"\n") and line.count(b"\n") == 1
    read = json.loads(line)
    assert (read["settings"]["data"], read["settings"]["port"], read["listening"]) == (str(tmp_path), 8471, 7)
    command = Child("api").command
    assert command[-1] == "gradumen.run.api"
    assert not any("secret" in word for word in command)
