"""The command line of hosts of clouds and days of pools."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime

import pytest

from gradumen.demo.clouds import SimulatedCloud
from gradumen.usecases.metering.pool_days import note_pools
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import registered
from tests.world import World

__all__ = ["profiles", "terminal"]


@pytest.fixture
def many(cloud_server: SimulatedCloud) -> Iterator[None]:
    """More hosts than stand on one page, of this side's and of the cloud's."""
    cloud_server.hosts = lambda: [
        {"host": f"rack-{number:03}", "resources": {"processors": {"total": 8, "used": "3.5", "factor": "2"}}}
        for number in range(130)
    ]
    yield
    cloud_server.hosts = None


def test_hosts_are_looked_at_and_listed(
    terminal: Terminal, world: World, cloud_server: SimulatedCloud, many: None
) -> None:
    registered(world, cloud_server)
    assert "not looked at yet" in terminal("hosts", "list", "north-fell")
    task = json.loads(terminal("hosts", "look", "north-fell", "--json"))["id"]
    terminal("tasks", "follow", task)
    lines = terminal("hosts", "list", "north-fell").splitlines()
    assert lines[0].split("  ")[0] == "HOST" and len(lines) == 133 and lines[-1].startswith("as of 2026-10-05")
    assert lines[1].split() == ["all", "130", "processors", "vCPU", "1", "040", "2", "080", "455", "1", "625"]
    assert lines[2].split() == ["rack-000", "processors", "vCPU", "8", "2", "16", "3.5", "12.5"]
    assert len(terminal("hosts", "list", "north-fell", "--search", "rack-12").splitlines()) == 13
    [_, day] = terminal("hosts", "days", "north-fell", "--host", "rack-129").splitlines()
    assert day.split() == ["2026-10-05", "processors", "vCPU", "1", "8", "16", "3.5", "3.5", "12.5", "1"]
    assert "not told of on these days" in terminal("hosts", "days", "north-fell", "--to", "2026-10-01")
    assert "no cloud called 'fell'" in terminal("hosts", "list", "fell", exit=1)


def test_days_of_a_pool_are_listed(terminal: Terminal, service: Service) -> None:
    terminal("sites", "add", "fell", "--name", "Fell")
    terminal("pools", "add", "discs", "fell", "storage", "900")
    assert "nothing is noted" in terminal("pool-days", "list", "discs")
    note_pools(service.uow, at=datetime.now(UTC))
    day = terminal("pool-days", "list", "discs").splitlines()[1]
    assert day.split() == ["2026-10-05", "900", "0", "0", "900", "-", "-", "-"]
    assert "no pool called 'x'" in terminal("pool-days", "list", "x", exit=1)
