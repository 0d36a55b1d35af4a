"""Hosts of a cloud and days of a pool in a real browser."""

from collections.abc import Iterator
from datetime import UTC, datetime
from decimal import Decimal

import pytest
from playwright.sync_api import expect

from gradumen.demo.clouds import SimulatedCloud
from gradumen.usecases.metering.pool_days import note_pools
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from tests.conftest import Service
from tests.console.conftest import Tab
from tests.usecases.subscriptions.stepping import registered
from tests.world import World


@pytest.fixture
def told(cloud_server: SimulatedCloud) -> Iterator[None]:
    """Forty hosts, of which one has more in use than it hands out."""
    cloud_server.hosts = lambda: [
        {"host": f"rack-{number:02}", "resources": {
            "processors": {"total": 32, "used": 70 if number == 7 else number, "factor": 2},
            "memory": {"total": 256, "used": 100, "reserved": 8}, "CUSTOM_LICENCE": {"total": 4, "used": 0},
        }} for number in range(40)
    ]  # fmt: skip
    yield
    cloud_server.hosts = None


def test_hosts_are_looked_at_and_seen_with_their_days(
    tab: Tab, world: World, cloud_server: SimulatedCloud, told: None
) -> None:
    page = tab.page
    registered(world, cloud_server)
    tab.sign_in("mara")
    tab.go("/clouds", "Clouds")
    page.get_by_role("link", name="Hosts of North Fell").click()
    expect(page.get_by_text("Its hosts were not looked at yet")).to_be_visible()
    tab.accessible(dark=True)
    page.get_by_role("button", name="Look now").click()
    together = page.get_by_role("table", name="All hosts together")
    expect(together.get_by_role("row", name="Processors")).to_contain_text("2\u2009560 vCPU", timeout=20_000)
    expect(page.get_by_label("All hosts: Processors in use at most by day")).to_be_visible()
    hosts = page.get_by_role("table", name="Hosts", exact=True)
    expect(hosts.get_by_role("row", name="rack-07 Processors")).to_contain_text("6 vCPU more than handed out")
    page.get_by_role("button", name="Show more").click()
    expect(hosts.get_by_role("row", name="rack-39 Processors")).to_be_visible()
    tab.accessible(dark=True)
    page.get_by_label("Host or resource has").fill("rack-11")
    expect(hosts.get_by_role("row")).to_have_count(4)
    hosts.get_by_role("row", name="rack-11 Memory").press("Enter")
    days = page.get_by_label("rack-11: Memory in use at most by day")
    expect(days).to_contain_text("100 GiB to 100 GiB of 248 GiB, 1 looks")
    hosts.get_by_role("row", name="rack-11 Memory").press("Enter")
    expect(days).to_have_count(0)
    tab.go("/clouds/nowhere/hosts", "Hosts")
    expect(page.get_by_text("There is no such cloud of yours")).to_be_visible()


def test_a_viewer_sees_hosts_and_is_offered_no_look(
    tab: Tab, world: World, cloud_server: SimulatedCloud, told: None
) -> None:
    cloud = registered(world, cloud_server).id
    assert world.mara.tasks.follow(world.mara.hosts.look(cloud).id).state == "done"
    tab.sign_in("oda")
    tab.go("/clouds", "Clouds")
    tab.page.get_by_role("link", name="Hosts of North Fell").click()
    expect(tab.page.get_by_role("table", name="All hosts together")).to_be_visible()
    expect(tab.page.get_by_role("button", name="Look now")).to_have_count(0)


def test_a_pool_opens_to_its_days(tab: Tab, world: World, service: Service) -> None:
    site = world.mara.sites.register("tarnwick", SiteCreate(slug="fell", name="Fell")).id
    given = PoolCreate(site=site, slug="discs", name="Discs", measure="storage", capacity=Decimal(900))
    world.mara.pools.make("tarnwick", given)
    tab.sign_in("mara")
    tab.go("/sites", "Sites")
    row = tab.page.get_by_role("row", name="Discs")
    row.press("Enter")
    expect(tab.page.get_by_text("Nothing is noted of it yet")).to_be_visible()
    note_pools(service.uow, at=datetime.now(UTC))
    tab.page.reload()
    days = tab.page.get_by_role("table", name="Discs day by day")
    expect(days.get_by_role("row").last).to_contain_text("900")
    tab.accessible(dark=True)
