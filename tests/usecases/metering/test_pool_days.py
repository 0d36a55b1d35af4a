"""Pools day by day: what there was, what was promised, what was measured in their clouds, and what the hosts tell."""

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid, NotFound
from gradumen.demo.clouds import SimulatedCloud
from gradumen.usecases.metering.pool_days import note_pools
from gradumen.wire.organisations.sites import SiteBody, SiteCreate
from gradumen.wire.quotas.pools import PoolBody, PoolCreate
from tests.conftest import Service
from tests.usecases.metering.test_uses import TIED
from tests.usecases.subscriptions.stepping import registered
from tests.world import World, files, reading

NOON = datetime(2026, 10, 5, 12, tzinfo=UTC)
FIFTH, SIXTH, SEVENTH = date(2026, 10, 5), date(2026, 10, 6), date(2026, 10, 7)


@pytest.fixture
def site(world: World) -> SiteBody:
    return world.mara.sites.register("tarnwick", SiteCreate(slug="fell", name="Fell"))


@pytest.fixture
def pool(world: World, site: SiteBody) -> PoolBody:
    given = PoolCreate(site=site.id, slug="processors", name="Processors", measure="processors",
                       capacity=Decimal(400), factor=Decimal("1.5"))  # fmt: skip
    return world.mara.pools.make("tarnwick", given)


@pytest.fixture
def hosts(cloud_server: SimulatedCloud) -> Iterator[list[dict[str, object]]]:
    told: list[dict[str, object]] = []
    cloud_server.hosts = lambda: told
    yield told
    cloud_server.hosts = None


def test_each_day_keeps_what_there_was_and_was_promised_last(
    world: World, site: SiteBody, pool: PoolBody, service: Service
) -> None:
    mara = world.mara
    assert mara.pool_days.list(pool.id) == []
    mara.clock.set(NOON, held=True)
    assert note_pools(service.uow, at=datetime.now(UTC)) == 1
    assert note_pools(service.uow, at=datetime.now(UTC)) == 0
    mara.site_quotas.grant("quillstone", site.id, "processors", Decimal(100))
    mara.clock.set(NOON + timedelta(hours=2), held=True)
    note_pools(service.uow, at=datetime.now(UTC))
    mara.clock.set(NOON + timedelta(days=2), held=True)
    mara.site_quotas.grant("quillstone", site.id, "processors", Decimal(60), pool=pool.id)
    mara.pools.change(pool.id, 1, capacity=Decimal(40))
    note_pools(service.uow, at=datetime.now(UTC))
    found = mara.pool_days.list(pool.id)
    assert [(each.day, each.capacity, each.factor, each.promised, each.at_site, each.left) for each in found] == [
        (FIFTH, 400, Decimal("1.5"), 0, 100, 500),
        (SEVENTH, 40, Decimal("1.5"), 60, 100, -40),
    ]
    assert {(each.metered, each.handed_out, each.on_hosts) for each in found} == {(None, None, None)}
    mara.site_quotas.grant("quillstone", site.id, "processors", None, pool=pool.id)
    mara.pools.retire(pool.id)
    mara.clock.set(NOON + timedelta(days=5), held=True)
    assert note_pools(service.uow, at=datetime.now(UTC)) == 0
    assert mara.pool_days.list(pool.id, first=SIXTH) == found[1:]
    with pytest.raises(Invalid, match="at most 400"):
        mara.pool_days.list(pool.id, first=FIFTH, end=date(2028, 1, 1))


def test_it_stands_beside_what_was_measured_and_what_hosts_tell(
    world: World, site: SiteBody, pool: PoolBody, service: Service, cloud_server: SimulatedCloud,
    hosts: list[dict[str, object]],
) -> None:  # fmt: skip
    mara = world.mara
    mara.catalogue.publish("tarnwick", files(TIED))
    mara.feeds.create("tarnwick", slug="other", name="Of no cloud")
    cloud = registered(world, cloud_server, site=str(site.id)).id
    mara.cloud_feeds.set(cloud, "tarnwick/north-fell")
    mara.clock.set(NOON, held=True)
    for days, used in ((0, (5, 9)), (1, (7, 7))):
        for each in used:
            hosts[:] = [
                {"host": f"rack-{number}", "resources": {
                    "processors": {"total": 8, "used": each, "factor": 2}, "memory": {"total": 64, "used": 1},
                }} for number in (1, 2)
            ]  # fmt: skip
            assert mara.tasks.follow(mara.hosts.look(cloud).id).state == "done"
        note_pools(service.uow, at=datetime.now(UTC))
        mara.clock.set(NOON + timedelta(days=days + 1), held=True)
    note_pools(service.uow, at=datetime.now(UTC))
    # 4 of them all day and 8 more for six hours: 6 on average. What comes by another feed is not of this cloud.
    whole = {"start": "2026-10-05T00:00:00Z", "end": "2026-10-06T00:00:00Z"}
    six = {"start": "2026-10-05T06:00:00Z", "end": "2026-10-05T12:00:00Z", "owner": "quillstone/archive"}
    world.send(reading("a", **whole), reading("b", quantity="8", resource="vm-2", **six))
    world.send(reading("c", quantity="99", resource="vm-3", **whole), feed="tarnwick/other")
    world.settle()
    found = [
        (each.day, each.metered, each.handed_out, each.on_hosts, each.on_hosts_most)
        for each in mara.pool_days.list(pool.id)
    ]
    assert found == [(FIFTH, 6, 32, 18, 18), (SIXTH, 0, 32, 14, 14), (SEVENTH, None, None, None, None)]


def test_it_is_for_the_people_of_its_owner(world: World, pool: PoolBody, service: Service) -> None:
    note_pools(service.uow, at=datetime.now(UTC))
    assert world.user("oda").pool_days.list(pool.id)
    for user in ("edda", "una", "ines"):
        with pytest.raises(NotFound):
            world.user(user).pool_days.list(pool.id)
