"""One real database and one real service per run; each test begins with empty tables."""

import gc
import socket
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from argon2 import PasswordHasher
from fastapi import FastAPI
from hypothesis import HealthCheck, settings
from sqlalchemy import Connection, Engine, event, text

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.api.app import make_app
from gradumen.demo.clouds import SimulatedCloud
from gradumen.demo.metrics import SimulatedMetrics
from gradumen.demo.stores import SimulatedStore
from gradumen.jobs.worker import Worker
from gradumen.run.api import KEPT_OPEN
from gradumen.run.database import PrivateDatabase, start_private_database
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.access import sessions as sign_ins
from gradumen.usecases.access import users
from gradumen.usecases.catalogue import published
from gradumen.usecases.waiting import look
from tests.kept import States, add_procedure, emptying
from tests.places import quick_place
from tests.world import World, closing, make_world

OWN_HASHER = sign_ins.HASHER
# Passwords are hashed in the same way with little work: hundreds of users of tests sign in.
sign_ins.HASHER = users.HASHER = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
settings.register_profile("gradumen", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=30)
settings.load_profile("gradumen")
CODE = "code-of-the-tests"
Begin = Callable[[Callable[[], None]], None]
CONSOLE = Path(__file__).parents[1] / "console" / "dist"


def pytest_collection_finish() -> None:
    """What is loaded by now stays: nobody looks for garbage in it again and again."""
    gc.freeze()
    gc.enable()


@pytest.fixture(scope="session")
def database() -> Iterator[PrivateDatabase]:
    """A private server on a temporary directory that the database's account may enter."""
    with tempfile.TemporaryDirectory(prefix="gradumen-test-", dir=quick_place(), ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        server = start_private_database(Path(folder) / "database", fast=True, pool_mib=256)
        yield server
        server.stop()


@pytest.fixture(scope="session")
def engine(database: PrivateDatabase) -> Iterator[Engine]:
    """The database at head, by the service's account."""
    made = make_engine(database.url)
    yield made
    made.dispose()


@pytest.fixture(scope="session")
def owner(database: PrivateDatabase) -> Iterator[Engine]:
    """The database at head, by the account that may change tables."""
    made = make_engine(database.owner_url)
    schema.migrate(made)
    with made.begin() as connection:
        add_procedure(connection, "empty_all", emptying())
    yield made
    made.dispose()


@pytest.fixture(autouse=True)
def cold() -> None:
    """Nothing published is known from the test before, as by a service that has just started."""
    published.kept.clear()


class GatedWorker(Worker):
    """A worker that lets tests change all tables between two of its steps."""

    gate = threading.Lock()
    usage_rests = pair_rests = 0.0
    pulls_every = 0.25
    long = 0.5
    """Seconds, after as many without anything written."""
    quiet, late = 0.08, 1.0
    """Seconds: rating waits until as many have passed since a test wrote, and not longer than that."""
    least_rest = timedelta(milliseconds=150)
    """So that what a test changes at once is rated once."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **options)
        self.woken, self.written, self.told, self.due = threading.Event(), 0.0, 0.0, 0.0

    def do_next(self) -> bool:
        with self.gate:
            return super().do_next()

    def make_usage(self) -> float:
        with self.gate:
            return super().make_usage()

    def rate_next(self) -> bool:
        """Once the test writes nothing for a moment: it waits for what is charged, or ends and never looks at that."""
        now = time.monotonic()
        self.due = self.due or now + self.late
        if (left := min(self.told + self.quiet, self.due) - now) > 0:
            time.sleep(left)
            return True
        with self.gate:
            rated = super().rate_next()
        self.due = 0.0 if rated else self.due
        return rated

    def open_months(self) -> None:
        """Not between emptying and putting back: then the clock is the real one's, and months ahead would be there."""
        with self.gate:
            super().open_months()

    def rest(self) -> None:
        """Longer while nobody wrote for a while, until somebody does: looking takes time from other tests."""
        super().rest()
        self.woken.clear()
        if time.monotonic() - self.written > self.long:
            self.woken.wait(self.long)

    def wrote(self, connection: Connection) -> None:
        """Somebody commits; if anything was written, there may be something to do."""
        if connection.info.get("wrote"):
            self.written = time.monotonic()
            if threading.current_thread() is not self._thread:
                self.told = self.written
            self.woken.set()

    def watch_capacity(self) -> None:
        """Tests look themselves."""

    def watch(self) -> float:
        """Tests look themselves."""
        return 3600.0


@dataclass
class Service:
    """The running service."""

    url: str
    app: FastAPI
    uow: UnitOfWork
    worker: GatedWorker
    door: Door
    """Through which the worker calls, each call within less than half a second."""


@pytest.fixture(scope="session")
def cloud_server() -> Iterator[SimulatedCloud]:
    """A cloud that makes accounts, on loopback."""
    made = SimulatedCloud("North Fell accounts")
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="session")
def metrics() -> Iterator[SimulatedMetrics]:
    """A metrics server that misbehaves on demand, on loopback."""
    made = SimulatedMetrics("token-of-the-metrics")
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="session")
def store(tmp_path_factory: pytest.TempPathFactory) -> Iterator[SimulatedStore]:
    """A store of files that misbehaves on demand, on loopback."""
    made = SimulatedStore(tmp_path_factory.mktemp("store"), "reader", "secret-of-the-store")
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="session")
def drop(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A directory of this machine that the provider's feeds are fetched from, as ``drop``."""
    return tmp_path_factory.mktemp("drop")


def free_port() -> int:
    """One on which nothing listens just now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture(scope="session")
def metrics_port() -> int:
    """Where a real metrics server may be called while a test runs one."""
    return free_port()


@pytest.fixture(scope="session")
def openstack_ports() -> tuple[int, int, int]:
    """The same for a cloud's identity service, its metric service, and its compute service."""
    return free_port(), free_port(), free_port()


@pytest.fixture(scope="session")
def running(
    engine: Engine,
    owner: Engine,
    cloud_server: SimulatedCloud,
    metrics: SimulatedMetrics,
    store: SimulatedStore,
    metrics_port: int,
    openstack_ports: tuple[int, int, int],
    drop: Path,
    tmp_path_factory: pytest.TempPathFactory,
) -> Iterator[Service]:
    """The service in this process, on loopback."""
    ports = (metrics_port, *openstack_ports)
    listed = [cloud_server.url, metrics.url, store.url, *(f"http://127.0.0.1:{port}" for port in ports)]
    door, opened = Door(listed, seconds=3), f"tarnwick/drop={drop}"
    configured = Settings(console=CONSOLE, clock_control=True, outbound=",".join(listed), directories=opened)
    folder = tmp_path_factory.mktemp("service")
    seals = Seals(folder / "sealing.keys")
    seals.make()
    uow = UnitOfWork(engine, seals=seals)
    app = make_app(configured, uow, set_up_file=folder / "set-up-code")
    worker = GatedWorker(uow, owner, door=door, directories=Directories(opened), idle_seconds=0.1)
    event.listen(engine, "commit", worker.wrote)
    worker.start()
    port = free_port()
    config = uvicorn.Config(
        app, host="127.0.0.1", port=port, log_level="error", access_log=False, timeout_keep_alive=KEPT_OPEN
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield Service(f"http://127.0.0.1:{port}", app, uow, worker, door)
    server.should_exit = True
    thread.join(10)
    worker.stop()


@pytest.fixture
def service(running: Service, owner: Engine) -> Iterator[Service]:
    """The service with empty tables: who uses them leaves them so."""
    running.app.state.set_up_file.write_text(CODE)
    yield running
    with running.worker.gate, owner.begin() as connection:
        connection.exec_driver_sql("CALL empty_all()")


@pytest.fixture(scope="session")
def states(database: PrivateDatabase, engine: Engine) -> Iterator[States]:
    """None at first."""
    keeper = make_engine(database.administrator_url, pool_size=1)
    yield States(keeper, str(engine.url.database))
    keeper.dispose()


@pytest.fixture(scope="session")
def sessions() -> dict[str, tuple[dict[str, str], str]]:
    """Those of the small world's users, once it was made."""
    return {}


@pytest.fixture
def world(
    service: Service, begin: Begin, cloud_server: SimulatedCloud, sessions: dict[str, tuple[dict[str, str], str]]
) -> Iterator[World]:
    """A small world; see `tests.world`."""

    def make() -> None:
        with closing(make_world(service.url, CODE)) as made:
            sessions.update(made.signed_in())

    begin(make)
    with closing(World(service.url, cloud=cloud_server.url, sessions=sessions)) as made:
        yield made


@pytest.fixture
def begin(service: Service, states: States) -> Begin:
    """Begins with a state, on the one that the test has already: makes it, or puts its rows back.

    It is known by what makes it, which does the same, on the same one, for each test.
    """

    def begun(make: Callable[[], None]) -> None:
        gate, name = service.worker.gate, f"{make.__module__}.{make.__qualname__}"
        if name in states.made:
            with gate:
                states.put_back(name)
            return
        with gate:
            before = states.sums()
        make()
        deadline = time.monotonic() + 60
        while name not in states.made:
            assert time.monotonic() < deadline, f"of {name} there is always something left to do"
            settle(service.uow.engine)
            with gate:
                waiting, _ = look(service.uow, at=datetime.now(UTC))
                if not (waiting.tasks or waiting.marks or waiting.pairs or waiting.moves):
                    states.keep(name, before)
            time.sleep(0.02)

    return begun


def settle(engine: Engine) -> None:
    """Wait until every pair is rated."""
    deadline = time.monotonic() + 60
    with engine.connect() as connection:
        while connection.scalar(text("SELECT EXISTS (SELECT 1 FROM pairs WHERE stale_since IS NOT NULL)")):
            connection.commit()
            assert time.monotonic() < deadline
            time.sleep(0.02)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    """Debian's Chromium without what only a window needs; it reaches nothing but loopback."""
    return {
        "executable_path": "/usr/bin/chromium-headless-shell",
        "args": [
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--font-render-hinting=none",  # letters stand as on a screen of today
        ],
    }
