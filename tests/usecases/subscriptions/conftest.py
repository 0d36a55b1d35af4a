"""A cloud, and a worker that works off what is due."""

import itertools
from collections.abc import Callable, Iterator
from datetime import timedelta

import pytest
from sqlalchemy import Engine

from gradumen.adapters.door import Door
from gradumen.demo.clouds import SimulatedCloud
from gradumen.jobs import leases, worker
from gradumen.jobs.worker import Worker
from tests.conftest import Service, settle
from tests.usecases.subscriptions.stepping import Killed, registered
from tests.world import World
from tests.worlds.stored import differing_pairs


@pytest.fixture
def charged_anew(world: World, service: Service, owner: Engine) -> Iterator[None]:
    """Afterwards everything is charged as it is when all is rated anew: whatever changed has had its months rated."""
    yield
    settle(owner)
    assert differing_pairs(service.uow) == {}


@pytest.fixture
def fell(world: World, cloud_server: SimulatedCloud) -> Iterator[SimulatedCloud]:
    """A cloud of the provider's that sellers below may use, without accounts."""
    for kept in (cloud_server.accounts, cloud_server.limits, cloud_server.people, cloud_server.mishaps):
        kept.clear()
    cloud_server.late_seconds = 1.6
    registered(world, cloud_server)
    yield cloud_server
    for timer in cloud_server.later:
        timer.join()
    cloud_server.accounts.clear()


@pytest.fixture
def hands(service: Service, fell: SimulatedCloud, monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[], int]]:
    """Works off all that is due, each time by a new worker, hours after what rests or was left; gives how often."""
    hours = itertools.count(1)

    def work() -> int:
        for count in range(40):
            later = leases.now() + next(hours) * timedelta(hours=1)
            monkeypatch.setattr(worker, "now", lambda at=later: at)
            hand = Worker(service.uow, service.worker.owner, door=Door([fell.url], seconds=1))
            try:
                if not hand.do_next():
                    return count
            except Killed:
                continue
        raise AssertionError("it does not end")

    with service.worker.gate:
        yield work
