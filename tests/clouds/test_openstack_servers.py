"""Servers of a real compute service: what is done to them by hand becomes spells, usage and the period so far."""

import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest

from gradumen.adapters.door import Door
from gradumen.adapters.openstack_identity import OpenStackIdentity
from gradumen.adapters.openstack_servers import OpenStackServers
from gradumen.core.errors import Invalid
from gradumen.core.metering.pulls import How, PullKind
from gradumen.run.database import PrivateDatabase
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.metering.pulls import PullBody, PullForm, PullQueryForm
from tests.adapters.identity.service import identity_service
from tests.clouds.compute import Servers, compute_service
from tests.conftest import Service, free_port
from tests.usecases.metering.test_held import COMPUTE, FEED, METER, RATES
from tests.world import World, files, rate_card

pytestmark = pytest.mark.clouds
HOUR = timedelta(hours=1)
PROCESSORS = "compute/vcpus"
SERVICE = COMPUTE.replace(
    "  there: {", "  vcpus: {name: Processors, unit: vCPU-second, counted: vCPU, combine: held}\n  there: {"
)
VCPUS = "  - {rate: vcpus, meter: compute/vcpus, per: vCPU-hour, price: 1}\n"


class Reached:
    """The cloud as it is asked, and as somebody works there."""

    def __init__(self, identity: str, servers: Servers) -> None:
        self.identity, self.servers = identity, servers
        self.secret = servers.administrator.credential("meter", ["admin"])
        servers.make_flavor("small", 1, 512, 1)
        servers.make_flavor("large", 4, 2048, 10)


@pytest.fixture(scope="module")
def cloud(
    tmp_path_factory: pytest.TempPathFactory, database: PrivateDatabase, openstack_ports: tuple[int, int, int]
) -> Iterator[Reached]:
    with identity_service(tmp_path_factory.mktemp("identity"), openstack_ports[0]) as identity:
        ports = openstack_ports[2], free_port(), free_port()
        folder = tmp_path_factory.mktemp("compute")
        with compute_service(folder, identity, database.administrator_url, ports) as servers:
            yield Reached(identity, servers)


def moment(told: str) -> datetime:
    return datetime.fromisoformat(told[:19]).replace(tzinfo=UTC)


def looked(world: World, after: datetime) -> PullBody:
    """The pull once it has looked at all until a moment that is over, or has a problem."""
    ends = time.monotonic() + 60
    while time.monotonic() < ends:
        found = world.mara.pulls.get(FEED)
        if found.problem or (found.complete_until and found.complete_until >= after):
            assert found.problem is None, found.problem
            return found
        time.sleep(0.1)
    raise AssertionError(f"has not looked after {after}: {found}")


def be_over(moment: datetime) -> None:
    """Wait until a look takes in the second of a moment: one reaches to the last second that is wholly over."""
    time.sleep(max(0.0, (moment + timedelta(seconds=2) - datetime.now(UTC)).total_seconds()))


def seconds(span: timedelta) -> Decimal:
    return Decimal(span // timedelta(seconds=1))


def used(world: World, since: datetime, until: datetime) -> dict[tuple[str, str], Decimal]:
    """What was used, by meter and phase."""
    world.settle()
    found: dict[tuple[str, str], Decimal] = {}
    for period in sorted({f"{since:%Y-%m}", f"{until:%Y-%m}"}):
        for each in world.mara.usage.sum("tarnwick", period, by=("attribute:phase",), wait=60).items:
            of = each.meter, each.keys["attribute:phase"]
            found[of] = found.get(of, Decimal(0)) + each.quantity
    return found


def test_what_happens_to_servers_becomes_usage_and_the_period_so_far(
    world: World, service: Service, cloud: Reached, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(service.door, "seconds", 20.0)
    servers, mara = cloud.servers, world.mara
    web, store = servers.make("web", "small", team="quay"), servers.make("store", "large")
    servers.age(2)
    servers.act(web, {"os-stop": None}, "SHUTOFF")
    servers.age(1)
    servers.act(web, {"os-start": None}, "ACTIVE")
    servers.delete(store)
    servers.age(3)

    mara.clock.set(datetime(2026, 10, 6, tzinfo=UTC), held=True)
    card = rate_card("tenants-eur", "EUR", "tenants", "1", "2026-11-01") + RATES + VCPUS
    mara.catalogue.publish("tarnwick", files(SERVICE, card))
    mara.clock.set(datetime.now(UTC), held=False)
    now = datetime.now(UTC)
    first = now.replace(minute=0, second=0, microsecond=0) - 12 * HOUR
    account = servers.told(web)["tenant_id"]
    rule = OwnershipRuleForm(
        name="Their cloud", owner="quillstone/archive", starts_on=first.date(), conditions={"account": account}
    )
    mara.ownership_rules.set("tarnwick", [rule], 0)
    shared = {"how": How.HELD, "resource": ["id"], "account": "project_id"}
    running = PullQueryForm(
        name="running", query="servers", meter=METER, unit="piece", attributes={"size": "flavor"},
        phases={"active": "awake", "shutoff": "parked"}, **shared,
    )  # fmt: skip
    busy = PullQueryForm(name="busy", query="vcpus", meter=PROCESSORS, unit="vCPU", **shared)
    form = PullForm(
        kind=PullKind.OPENSTACK_SERVERS, endpoint=cloud.identity, queries=[running, busy], every_minutes=5,
        starts_at=first,
    )  # fmt: skip
    tried = mara.pulls.attempt(FEED, form, cloud.secret)
    assert tried.reached and not tried.refused and tried.count == 2, tried
    be_over(now)
    mara.pulls.set(FEED, form, version=0, secret=cloud.secret)
    end = looked(world, now.replace(microsecond=0)).complete_until
    assert end is not None

    acts = {action: moment(at) for action, at in servers.actions(web)}
    begun = moment(servers.told(web)["OS-SRV-USG:launched_at"])
    gone = servers.told(store)
    both = moment(gone["OS-SRV-USG:terminated_at"]) - moment(gone["OS-SRV-USG:launched_at"])
    # The first look lists all that is there, so what was until then is known to the second.
    awake = acts["stop"] - begun + (end - acts["start"]) + both
    found = used(world, first, now)
    assert found[METER, "awake"] == seconds(awake)
    assert found[METER, "parked"] == seconds(acts["start"] - acts["stop"])
    assert sum(each for (meter, _), each in found.items() if meter == PROCESSORS) == seconds(end - begun + 4 * both)
    so_far = world.user("una").spend.period_so_far("quillstone", f"{begun:%Y-%m}", wait=60)
    assert {"awake", "parked", "vcpus"} <= {line.rate for link in so_far.links for line in link.lines}

    servers.resize(web, "large")
    servers.act(web, {"os-stop": None}, "SHUTOFF")
    acts = {action: moment(at) for action, at in servers.actions(web)}
    be_over(acts["stop"])
    world.mara.pulls.again(FEED, None)
    looked(world, acts["stop"])
    world.settle()
    spells = mara.spells.list("quillstone", f"{acts['stop']:%Y-%m}", resource=web).items
    levels = [(each.level, each.start) for each in spells if each.meter == PROCESSORS]
    assert levels[-1] == (Decimal(4), acts["resize"]) and levels[-2][0] == 1
    phases = [(each.attributes["phase"], each.start) for each in spells if each.meter == METER]
    assert phases[-1] == ("parked", acts["stop"]) and phases[-2] == ("awake", acts["resize"])


def test_what_changes_meanwhile_is_told_by_the_next_look(cloud: Reached) -> None:
    servers = cloud.servers
    left, gone = servers.make("left", "small"), servers.make("gone", "small", team="weir")
    # What is done within the second of its launch does not show as done.
    time.sleep(1)
    since = datetime.now(UTC).replace(microsecond=0)
    servers.act(left, {"pause": None}, "PAUSED")
    servers.delete(gone)
    door = Door([cloud.identity.removesuffix("/v3"), servers.url.removesuffix("/v2.1/")], seconds=20)
    source = OpenStackServers(door, cloud.identity, cloud.secret)
    look = source.look(since, datetime.now(UTC), whole=True)
    source.close()
    changed = {each.id: each for each in look.changed}
    assert changed[left].status == "paused" and changed[left].ended is None
    assert next(each.kind for each in look.actions[left]) == "pause"
    assert changed[gone].ended is not None and changed[gone].labels["name"] == "gone"
    assert {left} <= {each.id for each in look.there or []} and gone not in {each.id for each in look.there or []}
    assert changed[left].amounts["ram"] == 512


def test_its_hosts_tell_what_they_have_hand_out_and_have_in_use(cloud: Reached) -> None:
    servers = cloud.servers
    at = [cloud.identity.removesuffix("/v3"), servers.placement]
    reached = OpenStackIdentity(Door(at, seconds=20), cloud.identity, cloud.secret)
    before = {each.resource: each for each in reached.hosts() or []}
    assert {each.host for each in before.values()} == {"rack-1"}
    servers.hand_out("2.5")
    made = servers.make("ledger", "large")
    after = {each.resource: each for each in reached.hosts() or []}
    processors = after["processors"]
    assert processors.factor == Decimal("2.5")
    assert processors.capacity == (processors.total - processors.reserved) * Decimal("2.5")
    assert processors.used == before["processors"].used + 4
    assert after["memory"].used == before["memory"].used + 2
    assert after["memory"].capacity == (after["memory"].total - after["memory"].reserved) * (
        after["memory"].factor or 0
    )
    assert after["storage"].used == before["storage"].used + 10
    servers.delete(made)
    assert {each.resource: each.used for each in reached.hosts() or []}["processors"] == before["processors"].used
    reached.close()
    refused = OpenStackIdentity(Door(at[:1], seconds=20), cloud.identity, cloud.secret)
    with pytest.raises(Invalid, match="is not among what the operator lets be called"):
        refused.hosts()
    refused.close()
