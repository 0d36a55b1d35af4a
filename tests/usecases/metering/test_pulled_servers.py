"""Servers that a feed fetches: whenever it looks, what they were is known to the second, each once."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.adapters.openstack_servers import may_show_less, read_server, with_begin
from gradumen.core.errors import Invalid
from gradumen.core.metering.held import Statement, held_times
from gradumen.core.metering.pulls import How, PullKind
from gradumen.core.metering.readings import Reading
from gradumen.core.metering.server_lives import Action
from gradumen.feeds.server_readings import OVERLAP, server_readings
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.metering.pulls import PullBody, PullForm, PullQueryForm
from tests.adapters.compute import Cloud, Life
from tests.usecases.metering.test_held import COMPUTE, FEED, METER, hours
from tests.usecases.metering.test_pulls import hold, until
from tests.world import World, files

FIRST = datetime(2026, 11, 10, tzinfo=UTC)
MINUTE, HOUR = timedelta(minutes=1), timedelta(hours=1)
RUNNING = PullQueryForm(
    name="running", query="servers", meter=METER, unit="piece", how=How.HELD, resource=["id"], account="project_id",
    attributes={"size": "flavor"}, phases={"active": "awake", "shutoff": "parked"},
)  # fmt: skip


def at(text: str) -> datetime:
    """A time of the first day."""
    return datetime.fromisoformat(f"2026-11-10T{text}:00+00:00")


def life(id: str, *events: str, flavor: str = "small", project: str = "north") -> Life:
    """A server's, its events as ``08:00 create``."""
    return Life(id, project, flavor, [(at(each[:5]), each[6:]) for each in events])


class Looked:
    """What some looks at a server tell, as statements of which the highest sequence stands."""

    def __init__(self, life: Life, looks: list[datetime]) -> None:
        said: dict[str, Reading] = {}
        for since, now in zip([FIRST, *looks], looks, strict=False):
            is_first = since == FIRST
            told = life.seen(now)
            server = read_server(told) if told else None
            if server is None:
                continue
            asked = since if is_first else since - OVERLAP
            changed = server.updated >= asked
            done = changed and may_show_less(server, asked)
            actions = [Action(_at(each["start_time"]), each["action"]) for each in life.actions(now)] if done else []
            servers = [with_begin(server, actions)] if changed or is_first else []
            found = server_readings(
                [RUNNING], servers, {life.id: actions}, since, now, new={"running"} if is_first else (), source="cloud"
            )
            for each in found:
                assert isinstance(each, Reading), each
                if each.id not in said or said[each.id].sequence < each.sequence:
                    said[each.id] = each
        statements = [
            Statement(1, _number(each), 1, int(each.start.timestamp()), int(each.quantity), each.sequence, each.id)
            for each in said.values()
        ]
        end = int(looks[-1].timestamp())
        self.seconds: dict[int, int] = {}
        for held in held_times(statements, {(1, 1): end}):
            if held.level:
                self.seconds |= dict.fromkeys(range(held.start, min(held.end, end)), held.attributes)


def _at(text: str) -> datetime:
    return datetime.fromisoformat(text)


PHASES = {"awake": 1, "parked": 2}
SIZES = {"small": 10, "large": 20}


def _number(reading: Reading) -> int:
    said = dict(reading.attributes)
    return PHASES[said["phase"]] + SIZES[said["size"]] if reading.quantity else 0


@st.composite
def lives(draw: st.DrawFn) -> tuple[Life, list[datetime]]:
    """A server that runs, stops, pauses and ends at minutes of a day, and when it is looked at."""
    minutes = draw(st.lists(st.integers(1, 400), min_size=1, max_size=8, unique=True))
    events, what = [], "create"
    for each in sorted(minutes):
        events.append((FIRST + MINUTE * each, what))
        if what == "delete":
            break
        choice = draw(st.sampled_from(["flip", "flip", "pause", "delete"]))
        running = what in ("create", "start", "unpause")
        back = {"stop": "start", "pause": "unpause"}.get(what, "start")
        what = "delete" if choice == "delete" else ("pause" if choice == "pause" else "stop") if running else back
    looks = draw(st.lists(st.integers(2, 420), min_size=1, max_size=5, unique=True))
    return Life("vm", "north", "small", events), [FIRST + MINUTE * each for each in sorted(looks)]


def truth(life: Life, end: datetime) -> dict[int, int]:
    """What a server was in each second, by walking along what happened."""
    after = {"create": 1, "start": 1, "unpause": 1, "stop": 2}
    found: dict[int, int] = {}
    size = life.flavor
    phase = 0
    for (start, what), (stop, _) in zip(life.events, [*life.events[1:], (end, "")], strict=True):
        size = what.partition(" ")[2] if what.startswith("resize ") else size
        phase = phase if what.startswith("resize ") else after.get(what, 0)
        if phase and start < end:
            span = range(int(start.timestamp()), int(min(stop, end).timestamp()))
            found |= dict.fromkeys(span, phase + SIZES[size])
    return found


@given(lives())
def test_whenever_it_is_looked_at_it_is_known_to_the_second(drawn: tuple[Life, list[datetime]]) -> None:
    life, looks = drawn
    assert Looked(life, looks).seconds == truth(life, looks[-1])


@pytest.mark.parametrize("looks", [["09:00", "11:00", "14:00"], ["08:30", "10:59", "11:01", "12:31", "14:00"]])
def test_another_flavour_holds_from_when_it_was_given(looks: list[str]) -> None:
    big = life("vm", "08:00 create", "10:00 stop", "10:30 start", "11:00 resize large", "12:30 stop")
    assert Looked(big, [at(each) for each in looks if each != "11:00"]).seconds.keys() == truth(big, at("14:00")).keys()
    found = Looked(big, [at("09:00"), at("10:45"), at("14:00")]).seconds
    assert found == truth(big, at("14:00"))


def test_before_the_first_look_it_counts_as_having_had_the_flavour_that_it_has() -> None:
    found = Looked(life("vm", "08:00 create", "09:00 resize large"), [at("10:00")]).seconds
    assert set(found.values()) == {PHASES["awake"] + SIZES["large"]}
    assert min(found) == at("08:00").timestamp(), "it was there before it was launched anew"


@pytest.fixture
def cloud(world: World, openstack_ports: tuple[int, int, int]) -> Iterator[Cloud]:
    world.mara.clock.set(FIRST, held=True)
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    rule = OwnershipRuleForm(
        name="Their cloud", owner="quillstone/archive", starts_on=FIRST.date(), conditions={"account": "north"}
    )
    world.mara.ownership_rules.set("tarnwick", [rule], 0)
    made = Cloud(FIRST)
    made.start(openstack_ports[2])
    yield made
    made.stop()


def form(cloud: Cloud, **more: Any) -> PullForm:
    kind = PullKind.OPENSTACK_SERVERS
    return PullForm(kind=kind, endpoint=f"{cloud.url}/v3", queries=[RUNNING], starts_at=FIRST).model_copy(update=more)


def look(world: World, cloud: Cloud, when: datetime) -> PullBody:
    """Let it be so late in the cloud and here, and the feed looked at."""
    cloud.now = when
    hold(world, when)
    world.mara.pulls.again(FEED)
    return until(world, when)


def test_servers_of_all_projects_page_by_page_and_those_that_went_between_two_looks(world: World, cloud: Cloud) -> None:
    cloud.lives = [life(f"vm-{each}", "02:00 create") for each in range(5)]
    cloud.lives += [life("vm-8", "03:00 create", "04:30 delete"), life("vm-9", "05:00 create", project="south")]
    cloud.now = at("06:00")
    hold(world, cloud.now)
    tried = world.mara.pulls.attempt(FEED, form(cloud), "id:secret")
    assert tried.reached and (tried.count, tried.refused) == (6, 0), tried
    world.mara.pulls.set(FEED, form(cloud), version=0, secret="id:secret")
    assert until(world, at("06:00")).problem is None
    assert hours(world) == {"awake": Decimal(5 * 4) + Decimal("1.5")}
    cloud.lives.append(life("vm-7", "06:10 create", "06:40 delete"))
    cloud.asked.clear()
    look(world, cloud, at("07:00"))
    assert hours(world) == {"awake": Decimal(5 * 5 + 2)}
    assert not [each for each in cloud.asked if "detail" in each and "changes-since" not in each], (
        "what changed is asked"
    )
    [unowned] = world.mara.ownership_rules.unowned("tarnwick", "2026-11").items
    assert (unowned.account, unowned.quantities[0].quantity) == ("south", 2 * 3600)


@pytest.mark.parametrize("lets", [True, False])
def test_what_the_cloud_forgot_ended_when_it_was_last_there(world: World, cloud: Cloud, lets: bool) -> None:
    cloud.refuses = set() if lets else {"changes-since", "deleted"}
    cloud.lives = [life("vm-1", "02:00 create"), life("vm-2", "02:00 create", "05:00 stop")]
    cloud.now = at("06:00")
    hold(world, cloud.now)
    world.mara.pulls.set(FEED, form(cloud), version=0, secret="id:secret")
    assert until(world, at("06:00")).problem is None
    cloud.forgets = {"vm-1"}
    look(world, cloud, at("06:00") + timedelta(days=1, hours=1))
    assert hours(world) == {"awake": Decimal(4 + 3), "parked": Decimal(1 + 25)}
    [spell] = world.mara.spells.list("quillstone", "2026-11", resource="vm-1").items
    assert spell.inferred_end and spell.end == at("06:00")


def test_looked_at_anew_since_before_changes_nothing(world: World, cloud: Cloud) -> None:
    cloud.lives = [life("vm-1", "02:00 create", "03:00 stop", "04:00 start")]
    cloud.now = at("06:00")
    hold(world, cloud.now)
    world.mara.pulls.set(FEED, form(cloud), version=0, secret="id:secret")
    until(world, at("06:00"))
    before = hours(world)
    world.mara.pulls.again(FEED, FIRST)
    cloud.now = at("07:00")
    hold(world, cloud.now)
    until(world, at("07:00"))
    assert hours(world) == {"awake": before["awake"] + 1, "parked": before["parked"]} == {"awake": 4, "parked": 1}


def test_what_it_may_not_or_cannot_is_told(world: World, cloud: Cloud) -> None:
    cloud.lives = [life("vm-1", "02:00 create")]
    cloud.now = at("06:00")
    hold(world, cloud.now)
    cloud.refuses = {"all_tenants"}
    tried = world.mara.pulls.attempt(FEED, form(cloud), "id:secret")
    assert not tried.reached and "may not read servers of all projects" in tried.said
    cloud.refuses = set()
    cloud.now = datetime.now(UTC) + HOUR
    tried = world.mara.pulls.attempt(FEED, form(cloud), "id:secret")
    assert not tried.reached and "its clock is" in tried.said


@pytest.mark.parametrize(
    ("changed", "field"),
    [
        ({"how": How.LEVEL}, "how"),
        ({"meter": "compute/vcpu"}, "meter"),
        ({"query": "cores"}, "query"),
        ({"query": "vcpus", "unit": "vCPU"}, "query"),
        ({"unit": "vCPU"}, "unit"),
        ({"resource": ["name"]}, "resource"),
        ({"phases": {"active": "asleep"}}, "phases"),
    ],
)
def test_what_cannot_be_counted_of_servers_is_refused(
    world: World, cloud: Cloud, changed: dict[str, Any], field: str
) -> None:
    queried = RUNNING.model_copy(update=changed)
    with pytest.raises(Invalid) as refused:
        world.mara.pulls.set(FEED, form(cloud, queries=[queried]), version=0, secret="id:secret")
    assert refused.value.facts["field"] == f"queries[0].{field}"
    two = [RUNNING, RUNNING.model_copy(update={"name": "again"})]
    with pytest.raises(Invalid, match="count each server twice"):
        world.mara.pulls.set(FEED, form(cloud, queries=two), version=0, secret="id:secret")


def test_others_know_no_phases_and_hold_nothing(world: World, cloud: Cloud) -> None:
    level = PullQueryForm(
        name="busy", query="x", meter="compute/vcpu", unit="vCPU", how=How.LEVEL, resource=["id"],
        phases={"active": "awake"},
    )  # fmt: skip
    found: dict[str, str] = defaultdict(str)
    for changed in ({}, {"how": How.HELD, "phases": {}}, {"meter": METER, "phases": {}}):
        other = PullForm(endpoint=cloud.url, queries=[level.model_copy(update=changed)], starts_at=FIRST)
        with pytest.raises(Invalid) as refused:
            world.mara.pulls.set(FEED, other, version=0, secret="token")
        found[str(refused.value.facts["field"])] += refused.value.message
    assert set(found) == {"queries[0].phases", "queries[0].how", "queries[0].meter"}
