"""Where several feeds measure the same, one counts: nothing twice, whatever comes when, and what differs is told."""

from datetime import date
from decimal import Decimal
from random import Random
from typing import Any

import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.wire.metering.feed_precedences import FeedFirst
from tests.conftest import Service, settle
from tests.usecases.spend.test_feed_balances import balance
from tests.world import World, moment, reading

SEPTEMBER = "2026-09"
FIRST, SECOND, THIRD = "tarnwick/north-fell", "tarnwick/probe", "tarnwick/spare"


@pytest.fixture
def feeds(world: World) -> World:
    for feed in (SECOND, THIRD):
        world.mara.feeds.create("tarnwick", slug=feed.partition("/")[2], name=feed)
    return world


def gives_way(world: World, feed: str, *to: str, on: str = "2026-09-01", user: str = "mara") -> None:
    firsts = [FeedFirst(feed=each, starts_on=date.fromisoformat(on)) for each in to]
    world.user(user).feed_precedences.set(feed, firsts)


def at(name: str, first: int, last: int, quantity: str = "4", **changes: Any) -> dict[str, Any]:
    """A reading of 10 September, from one hour to another."""
    span = {"start": f"2026-09-10T{first:02d}:00:00Z", "end": f"2026-09-10T{last:02d}:00:00Z"}
    return reading(name, **{"owner": "quillstone/archive", "quantity": quantity, **span, **changes})


def hours(world: World, organisation: str = "quillstone") -> Decimal:
    """The vCPU-hours that somebody is charged for September."""
    world.settle()
    [link] = world.mara.spend.period_so_far(organisation, SEPTEMBER, wait=60).links
    return sum((each.quantity for each in link.lines if each.rate == "vcpu"), Decimal(0))


def test_hour_by_hour_the_first_counts_and_the_second_where_it_was_silent(feeds: World) -> None:
    feeds.send(at("a", 0, 6))
    feeds.send(at("b", 3, 10, "5"), feed=SECOND)
    assert hours(feeds) == 4 * 6 + 5 * 7, "nobody said that they measure the same"
    assert balance(feeds, SECOND)[0].open == ["measured twice"]

    gives_way(feeds, SECOND, FIRST)
    assert hours(feeds) == 4 * 6 + 5 * 4
    for feed, charged, left in ((FIRST, 4 * 6, 0), (SECOND, 5 * 4, 5 * 3)):
        body, meters = balance(feeds, feed)
        assert body.open == []
        assert (meters["compute/vcpu"].charged, meters["compute/vcpu"].gave_way) == (charged * 3600, left * 3600)
    gives_way(feeds, SECOND)
    assert hours(feeds) == 4 * 6 + 5 * 7
    assert feeds.mara.feed_precedences.list("tarnwick") == []


def test_what_comes_when_makes_no_difference(feeds: World, service: Service) -> None:
    """Readings, their replacements, what is taken back and who gives way to whom, in many orders."""
    gives_way(feeds, SECOND, FIRST)
    gives_way(feeds, THIRD, SECOND)
    sent = [
        (FIRST, at("a", 0, 4)),
        (FIRST, at("a", 0, 2, "3", sequence=1)),
        (SECOND, at("b", 1, 6, "5")),
        (SECOND, at("b2", 8, 9, "5", attributes={"size": "large"})),
        (THIRD, at("c", 0, 12, "7")),
        (THIRD, at("other", 0, 12, "1", resource="vm-2")),
    ]
    found = set()
    for seed in range(6):
        for number, (feed, event) in enumerate(Random(seed).sample(sent, len(sent))):
            renamed = {**event, "data": {**event["data"], "resource": f"{event['data']['resource']}-{seed}"}}
            feeds.mara.readings.send(feed, [{**renamed, "id": f"{event['id']}-{seed}"}])
            if number % 2:
                settle(service.uow.engine)
        settle(service.uow.engine)
        items = feeds.mara.usage.sum("tarnwick", SEPTEMBER, by=("resource", "attribute:size"), wait=60).items
        own = [each for each in items if each.keys["resource"].endswith(f"-{seed}")]
        found.add(frozenset((each.keys["resource"][:4], each.keys["attribute:size"], each.quantity) for each in own))
    # a: hours 0 and 1 at 3; b: hours 2 to 5 at 5, and hour 8; c: what is left of twelve hours.
    small = (3 * 2 + 5 * 4 + 7 * 5) * 3600
    assert found == {
        frozenset({("vm-1", "small", small), ("vm-1", "large", 5 * 3600), ("vm-2", "small", 12 * 3600)}),
    }
    with service.uow.engine.connect() as connection:
        total, rows = connection.execute(text("SELECT SUM(readings), COUNT(*) FROM usage_days")).one()
        stands = connection.scalar(
            text("SELECT COUNT(*) FROM readings r LEFT JOIN superseded_readings s "
                 "ON s.delivery_id = r.delivery_id AND s.position = r.position WHERE s.delivery_id IS NULL")
        )  # fmt: skip
        assert (int(total), rows > 0) == (stands, True), "each reading that stands is counted once"
    counts = {each.feed: each for each in feeds.mara.ownership_rules.unowned("tarnwick", SEPTEMBER).feeds}
    assert all(each.readings == each.owned + each.nobodys + each.gave_way for each in counts.values())
    assert counts[FIRST].gave_way == 0 and sum(each.owned for each in counts.values()) == stands


def test_from_a_day_on_and_what_is_billed_is_corrected_on_the_next_document(feeds: World) -> None:
    feeds.send(at("a", 0, 6), reading("a2", owner="quillstone/archive", start="2026-09-20T00:00:00Z",
                                      end="2026-09-20T06:00:00Z"))  # fmt: skip
    feeds.send(
        at("b", 0, 6),
        reading("b2", owner="quillstone/archive", start="2026-09-20T00:00:00Z", end="2026-09-20T06:00:00Z"),
        feed=SECOND,
    )
    assert hours(feeds) == 4 * 24
    [before] = [each for each in feeds.close("tarnwick", "finn", SEPTEMBER) if each.buyer == "quillstone"]
    gives_way(feeds, SECOND, FIRST, on="2026-09-15")
    assert hours(feeds) == 4 * 18
    feeds.mara.clock.set(moment("2026-11-02"), held=True)
    [after] = [each for each in feeds.close("tarnwick", "finn", "2026-10") if each.buyer == "quillstone"]
    [line] = [each for each in after.lines if each.rate == "vcpu"]
    assert (line.quantity, line.amount) == (-24, Decimal("-0.48"))
    assert line.service_start.date() == date(2026, 8, 31) and before.net > 0


def test_what_both_measured_is_compared(feeds: World) -> None:
    gives_way(feeds, SECOND, FIRST)
    feeds.send(at("a", 0, 6), at("e", 0, 6, resource="vm-2"), at("f", 0, 2, resource="vm-3", owner=None))
    feeds.send(at("b", 0, 8, "5"), at("g", 0, 6, resource="vm-2"), at("h", 0, 2, resource="vm-3"), feed=SECOND)
    feeds.settle()
    found = feeds.mara.feed_precedences.compare(SECOND, SEPTEMBER, wait=60)
    [meter] = found.meters
    assert (meter.meter, meter.resources, meter.differing) == ("compute/vcpu", 3, 1)
    assert (meter.measured, meter.counted) == ((5 * 6 + 24 + 8) * 3600, (24 + 24 + 8) * 3600)
    assert [(each.resource, each.difference) for each in meter.examples] == [("vm-1", 6 * 3600)]
    assert feeds.mara.feed_precedences.compare(FIRST, SEPTEMBER).meters == []
    # What counts belongs to nobody, though the second said whose it is: it is listed, not charged.
    assert balance(feeds, FIRST)[1]["compute/vcpu"].nobodys == 8 * 3600


def test_who_may_and_what_is_refused(feeds: World) -> None:
    def refused(why: str, *to: str, feed: str = SECOND, on: str = "2026-10-01") -> None:
        with pytest.raises((Invalid, Conflict), match=why):
            gives_way(feeds, feed, *to, on=on)

    feeds.user("edda").feeds.create("oxbow", slug="own", name="Own")
    refused("no other feed", SECOND)
    refused("no other feed", "oxbow/own")
    refused("stands twice", FIRST, FIRST)
    refused("choose a later day", FIRST, on="1970-01-01")
    gives_way(feeds, SECOND, FIRST, on="2026-10-01")
    gives_way(feeds, THIRD, SECOND, on="2026-10-01")
    refused("in a circle", THIRD, feed=FIRST)
    gives_way(feeds, THIRD, SECOND, on="2026-10-01")
    told = [(each.feed, [first.feed for first in each.to]) for each in feeds.mara.feed_precedences.list("tarnwick")]
    assert told == [(SECOND, [FIRST]), (THIRD, [SECOND])]
    for user, error in (("finn", Forbidden), ("oda", Forbidden), ("edda", NotFound), ("una", NotFound)):
        with pytest.raises(error):
            gives_way(feeds, SECOND, user=user)
    with pytest.raises(NotFound):
        feeds.user("edda").feed_precedences.compare(SECOND, SEPTEMBER)
    entries = [each for each in feeds.mara.audit_entries.list("tarnwick") if each.action == "feed gives way"]
    assert len(entries) == 2
