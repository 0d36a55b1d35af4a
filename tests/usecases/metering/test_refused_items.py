"""What is refused is kept with its reason and what was sent, for those who may see it, and for a while."""

import csv
import io
import json
from datetime import timedelta

import pytest

from gradumen.core.errors import Invalid, NotFound
from gradumen.core.permissions import Role
from gradumen.core.retentions import REFUSED_ITEMS
from gradumen.jobs.leases import now
from gradumen.usecases.metering import refused_items
from tests.conftest import Service
from tests.usecases.metering.test_deliveries import FEED, MAPPING, ROWS, content
from tests.world import World, egress, join


def test_each_is_told_with_what_was_sent(world: World) -> None:
    """A reading as it was read, an event that could not be read as it came, a line as its row."""
    mara = world.mara
    good, stranger = egress("a", 1), egress("b", 1, owner="elsewhere/nothing")
    broken = {**egress("c", 1), "specversion": "0.3"}
    told = mara.readings.send(FEED, [good, stranger, broken])
    first, second = mara.refused_items.list(FEED)
    assert [(each.delivery, each.position, each.id, each.field) for each in (first, second)] == [
        (told.delivery_id, 1, "b", "owner"), (told.delivery_id, 2, "c", "specversion")]  # fmt: skip
    assert first.reason == told.outcomes[1].reason and second.reason == told.outcomes[2].reason
    assert json.loads(first.sent or "")["owner"] == "elsewhere/nothing"
    assert json.loads(second.sent or "")["specversion"] == "0.3"
    mara.deliveries.set_mapping(FEED, MAPPING, 0)
    mara.deliveries.send(FEED, "a.csv", content(*ROWS, "web-3;1.9.26;1;7"))
    newest = mara.refused_items.list(FEED)[0]
    assert (newest.file, newest.position, newest.id) == ("a.csv", 3, "line 5")
    assert json.loads(newest.sent or "")["Machine"] == "web-3"
    assert mara.refused_items.list(FEED, delivery=told.delivery_id) == [first, second]
    rows = list(csv.DictReader(io.StringIO(mara.refused_items.file(FEED).decode())))
    assert [each["id"] for each in rows] == ["line 5", "b", "c"] and rows[1]["reason"] == first.reason


def test_pages_go_on_where_they_stopped(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """In the order of the deliveries, newest first, and of their items; of one delivery so many at most."""
    monkeypatch.setattr(refused_items, "MOST", 3)
    for number in range(2):
        world.mara.readings.send(FEED, [egress(f"{number}-{each}", 1, owner="no/where") for each in range(5)])
    found = world.mara.refused_items.list(FEED)
    assert [each.id for each in found] == ["1-0", "1-1", "1-2", "0-0", "0-1", "0-2"]
    assert [each.refused for each in world.mara.feeds.deliveries(FEED)] == [5, 5], "all of them are counted"
    seen, after = [], None
    while True:
        asked = {"feed": FEED, "limit": 1, **({"after": after} if after else {})}
        page = world.mara.connection.send("GET", "refused-items", params=asked).json()
        seen += [each["id"] for each in page["items"]]
        after = page["next"]
        if after is None:
            break
    assert seen == [each.id for each in found]
    for wrong in ("nothing", f"{found[0].delivery}|x", "|1"):
        with pytest.raises(Invalid, match="after"):
            world.mara.connection.send("GET", "refused-items", params={"feed": FEED, "after": wrong})


def test_senders_see_their_own_and_others_nothing(world: World) -> None:
    join(world, "mara", "tarnwick", "gauge@tarnwick.example", Role.SENDER)
    world.mara.feeds.allow(FEED, "gauge@tarnwick.example")
    gauge = world.user("gauge@tarnwick.example")
    for client, identity in ((world.mara, "a"), (gauge, "b")):
        client.readings.send(FEED, [egress(identity, 1, owner="no/where")])
    assert [each.id for each in gauge.refused_items.list(FEED)] == ["b"]
    assert [each.id for each in world.mara.refused_items.list(FEED)] == ["b", "a"]
    with pytest.raises(NotFound):
        world.user("edda").refused_items.list(FEED)


def test_they_are_forgotten_when_that_is_stated(world: World, service: Service) -> None:
    world.mara.readings.send(FEED, [egress("a", 1, owner="no/where")])
    refused_items.forget_refused(service.uow, at=now())
    assert len(world.mara.refused_items.list(FEED)) == 1
    refused_items.forget_refused(service.uow, at=now() + REFUSED_ITEMS + timedelta(seconds=1))
    assert world.mara.refused_items.list(FEED) == []
