"""Hosts of clouds: looked at, kept day by day, and seen by the people of who registered the cloud alone."""

from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.demo.clouds import SimulatedCloud
from gradumen.usecases.quotas.hosts import schedule_looks
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import registered
from tests.world import World

DAY = datetime(2026, 10, 5, 9, tzinfo=UTC)
Racks = dict[str, Any]


def host(name: str, used: object, total: object = 96, **more: object) -> dict[str, Any]:
    return {"host": name, "resources": {"processors": {"total": total, "used": used, **more}}}


@pytest.fixture
def racks(cloud_server: SimulatedCloud) -> Iterator[Racks]:
    """What the cloud tells of its hosts, by their names."""
    told: Racks = {"rack-1": host("rack-1", 80, factor="1.5", reserved=4), "rack-2": host("rack-2", 10, 64)}
    cloud_server.hosts = lambda: list(told.values())
    yield told
    cloud_server.hosts = None


@pytest.fixture
def fell(world: World, cloud_server: SimulatedCloud) -> UUID:
    return registered(world, cloud_server).id


@pytest.fixture
def look(world: World, fell: UUID) -> Callable[[], None]:
    def done() -> None:
        task = world.mara.hosts.look(fell)
        assert world.mara.tasks.follow(task.id).state == "done"

    return done


def figures(found: Any) -> list[tuple[Any, ...]]:
    return [(each.host, each.hosts, each.total, each.capacity, each.used, each.free) for each in found]


def test_they_are_told_as_at_the_last_look(world: World, fell: UUID, racks: Racks, look: Callable[[], None]) -> None:
    before = world.mara.hosts.list(fell)
    assert (before.items, before.looked_at, before.tells) == ([], None, None)
    look()
    found = world.mara.hosts.list(fell)
    assert found.tells and found.problem is None and found.looked_at is not None
    assert figures(found.items) == [("rack-1", 1, 96, 138, 80, 58), ("rack-2", 1, 64, 64, 10, 54)]
    assert figures(found.together) == [("", 2, 160, 202, 90, 112)]
    assert [each.unit for each in found.together] == ["vCPU"]
    racks.pop("rack-2")
    racks["rack-1"] = host("rack-1", 150, factor="1.5", reserved=4)
    racks["rack-3"] = {"host": "rack-3", "resources": {"VGPU": {"total": 8, "used": 0}}}
    look()
    found = world.mara.hosts.list(fell)
    assert figures(found.items) == [("rack-1", 1, 96, 138, 150, -12), ("rack-3", 1, 8, 8, 0, 8)]
    assert [(each.resource, each.hosts) for each in found.together] == [("VGPU", 1), ("processors", 1)]


def test_days_keep_what_was_told_last_and_the_least_and_most_in_use(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None]
) -> None:
    for hours, used in ((0, 80), (2, 20), (5, 50), (48, 7)):
        world.mara.clock.set(DAY + timedelta(hours=hours), held=True)
        racks["rack-1"] = host("rack-1", used, factor=2 if hours < 24 else 3)
        look()
    days = world.mara.hosts.days(fell)
    assert [(each.day, each.hosts, each.used, each.used_least, each.used_most, each.looks) for each in days] == [
        (date(2026, 10, 5), 2, 60, 30, 90, 3),
        (date(2026, 10, 7), 2, 17, 17, 17, 1),
    ]
    assert [(each.capacity, each.free) for each in days] == [(256, 196), (352, 335)]
    [first, second] = world.mara.hosts.days(fell, host="rack-1")
    assert (first.factor, first.used_most, second.factor, second.used) == (2, 80, 3, 7)
    assert world.mara.hosts.days(fell, host="rack-1", first=date(2026, 10, 6), end=date(2026, 10, 7)) == []
    assert world.mara.hosts.days(fell, host="rack-9") == []
    with pytest.raises(Invalid, match="at most 400; got 2026-10-06 until 2026-10-06") as refused:
        world.mara.hosts.days(fell, first=date(2026, 10, 6), end=date(2026, 10, 6))
    assert refused.value.facts["field"] == "end"


def test_pages_and_searches_together_are_the_list(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None]
) -> None:
    racks.clear()
    both = {"processors": {"total": 4, "used": 1}, "memory": {"total": "16.5", "used": "0.25"}}
    for number in range(60):
        racks[f"h{number}"] = {"host": f"Rack|{number:02}%", "resources": both}
    look()
    seen, after = [], None
    while True:
        page = world.mara.hosts.list(fell, after=after, limit=33)
        seen += [(each.host, each.resource) for each in page.items]
        if (after := page.next) is None:
            break
    assert seen == sorted({(f"Rack|{number:02}%", each) for number in range(60) for each in both})
    assert [each.used for each in page.together] == [15, 60]
    found = world.mara.hosts.list(fell, search="rack|07%").items
    assert [(each.host, each.resource, each.total) for each in found] == [
        ("Rack|07%", "memory", Decimal("16.5")), ("Rack|07%", "processors", 4),
    ]  # fmt: skip
    assert len(world.mara.hosts.list(fell, search="MEMORY").items) == 60
    with pytest.raises(Invalid, match="no place in this list"):
        world.mara.hosts.list(fell, after="nowhere")


@pytest.mark.parametrize(
    ("told", "said"),
    [
        (host("rack-1", -1), "it told -1 for used of processors of 'rack-1'"),
        (host("rack-1", "1e30"), "for used of processors"),
        (host("rack-1", True), "without 'True' is no figure"),
        (host("rack-1", 1, "many"), "without 'many' is no figure"),
        (host("rack-1", 1, factor=0), "it told 0 for the factor of processors of 'rack-1': more than 0"),
        (host("rack-1", "0.0000000000001"), "for used of processors"),
        (host("r\x00", 1), "for the name of a host"),
        (host("", 1), "for the name of a host, which has 1 to 190"),
        ({"host": "rack-1"}, "it told of a host without 'resources'"),
        (host("rack-2", 5), "it told of processors of 'rack-2' twice"),
    ],
)
def test_what_cannot_be_is_refused_whole_and_said(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None], told: Any, said: str
) -> None:
    look()
    kept = world.mara.hosts.list(fell)
    racks["rack-1"] = told
    look()
    found = world.mara.hosts.list(fell)
    assert found.problem is not None and said in found.problem and found.failing_since is not None
    assert (found.items, found.together, found.looked_at) == (kept.items, kept.together, kept.looked_at)
    racks["rack-1"] = host("rack-1", 1)
    look()
    again = world.mara.hosts.list(fell)
    assert (again.problem, again.failing_since, again.items[0].used) == (None, None, 1)


def test_a_cloud_that_never_comes_to_its_end_keeps_nobody_waiting(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    look()
    monkeypatch.setattr("gradumen.adapters.account_service.LOOK_SECONDS", 0)
    look()
    found = world.mara.hosts.list(fell)
    assert found.problem == "North Fell: its hosts were not told within 0 minutes" and len(found.items) == 2
    assert found.next_at is not None and found.next_at - datetime.now(UTC) < timedelta(minutes=11)
    monkeypatch.setattr("gradumen.adapters.account_service.LOOK_SECONDS", 60)
    monkeypatch.setattr("gradumen.core.quotas.hosts.MOST_STOCKS", 1)
    look()
    assert "it told of 2 resources of hosts, and 1 are looked at" in (world.mara.hosts.list(fell).problem or "")


def test_that_they_are_told_no_more_is_to_do_after_some_hours(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None], service: Service
) -> None:
    def told() -> list[tuple[str, str]]:
        return [(each.title, each.subject) for each in world.mara.to_dos.list("tarnwick") if each.kind == "hosts"]

    look()
    racks["rack-1"] = host("rack-1", -1)
    look()
    assert told() == []
    with service.uow.engine.begin() as connection:
        connection.execute(text("UPDATE host_looks SET failing_since = failing_since - INTERVAL 4 HOUR"))
    assert told() == [("The hosts of North Fell are told no more", "north-fell")]
    racks["rack-1"] = host("rack-1", 1)
    look()
    assert told() == []


def test_a_cloud_that_tells_nothing_is_asked_once_a_day(
    world: World, fell: UUID, look: Callable[[], None], service: Service
) -> None:
    look()
    found = world.mara.hosts.list(fell)
    assert (found.tells, found.items, found.problem) == (False, [], None)
    assert found.next_at is not None and found.next_at - datetime.now(UTC) > timedelta(hours=23)


def test_each_cloud_is_looked_at_every_hour_and_its_last_look_kept(
    world: World, fell: UUID, racks: Racks, service: Service
) -> None:
    now = datetime.now(UTC)
    for hours, looks in ((0, 1), (0.5, 1), (1.1, 2), (26, 3)):
        schedule_looks(service.uow, at=now + timedelta(hours=hours))
        with service.uow.engine.begin() as connection:
            # What is due later is to be done at once.
            connection.execute(text("UPDATE tasks SET not_before = '2026-01-01' WHERE kind = 'look at hosts'"))
        [task] = world.mara.tasks.list("tarnwick", kind="look at hosts")
        assert world.mara.tasks.follow(task.id).state == "done"
        [day] = world.mara.hosts.days(fell)
        assert day.looks == looks
    world.mara.clouds.retire(fell)
    assert schedule_looks(service.uow, at=now + timedelta(days=9)) == 0
    with pytest.raises(Conflict, match="North Fell is retired"):
        world.mara.hosts.look(fell)
    assert world.mara.hosts.days(fell) and world.mara.hosts.list(fell).next_at is None


def test_only_the_people_of_its_owner_see_them(
    world: World, fell: UUID, racks: Racks, look: Callable[[], None]
) -> None:
    look()
    for user in ("edda", "ines", "piers"):
        client = world.user(user)
        for act in (client.hosts.list, client.hosts.days, client.hosts.look):
            with pytest.raises(NotFound):
                act(fell)
    reader = world.user("finn")
    assert reader.hosts.list(fell).items
    with pytest.raises(Forbidden):
        reader.hosts.look(fell)
