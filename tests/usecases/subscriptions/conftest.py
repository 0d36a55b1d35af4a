"""A cloud, and a worker that works off what is due."""

import itertools
import time
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import Connection, Engine, text

from gradumen.adapters.door import Door
from gradumen.demo.clouds import SimulatedCloud
from gradumen.jobs import leases, worker
from gradumen.jobs.worker import Worker
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import Killed, registered
from tests.world import World

CHARGED = """
SELECT p.id, p.period, c.supply_line_id, c.rate_card_version_id, c.rate, c.quantity, c.amount, c.service_start,
    c.service_end
FROM pairs p JOIN current_charges c ON c.pair_id = p.id AND c.generation = p.generation WHERE p.problem IS NULL
"""
WAITS = """
SELECT EXISTS (SELECT 1 FROM stale_usage)
    OR EXISTS (SELECT 1 FROM pairs WHERE stale_since IS NOT NULL AND problem IS NULL)
"""
AGAIN = "UPDATE pairs SET wanted = wanted + 1, stale_since = UTC_TIMESTAMP(6), not_before = NULL"


@pytest.fixture
def charged_anew(world: World, owner: Engine) -> Iterator[None]:
    """Afterwards everything is charged as it is when all is rated anew: whatever changed has had its months rated."""
    yield
    with owner.connect() as connection:
        before = _charged(connection)
        connection.execute(text(AGAIN))
        connection.commit()
        after = _charged(connection)
    assert (before - after, after - before) == (Counter(), Counter())


def _charged(connection: Connection) -> Counter[tuple[Any, ...]]:
    """Each charge, once all that can be rated is."""
    ends = time.monotonic() + 60
    while connection.scalar(text(WAITS)):
        connection.commit()
        assert time.monotonic() < ends
        time.sleep(0.02)
    found = Counter(tuple(row) for row in connection.execute(text(CHARGED)))
    connection.commit()
    return found


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
