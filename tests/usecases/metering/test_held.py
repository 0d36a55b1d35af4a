"""What holds until it changes: from events, in whatever order, to hours of phases, begun hours and invoices."""

import os
import re
from collections import defaultdict
from datetime import date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

import pytest

from gradumen.client.metering.readings import life_event, told_event
from gradumen.core.errors import CatalogueInvalid, Conflict
from gradumen.store.metering import listings
from gradumen.wire.metering.feed_precedences import FeedFirst
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Begin, Service, settle
from tests.world import SERVICES, World, files, moment, rate_card, reading
from tests.worlds.stored import differing_pairs

NOVEMBER = "2026-11"
SOURCE, FEED, METER = "/clouds/north", "tarnwick/north-fell", "compute/running"
HOUR = timedelta(hours=1)
THERE = "compute/there"
COMPUTE = SERVICES.split("---")[0].replace(
    "meters:",
    "phases: [parked, awake]\nmeters:\n  running: {name: Running, unit: piece-second, combine: held}\n"
    "  there: {name: There, unit: piece-second, combine: held}",
)
RATES = """
  - {rate: awake, meter: compute/running, per: piece-hour, where: {phase: awake}, started: hour, price: 0.5}
  - {rate: parked, meter: compute/running, per: piece-hour, where: {phase: parked}, price: 0.01}
  - {rate: there, meter: compute/there, per: piece-hour, price: 0.1}
"""


@pytest.fixture
def november(world: World, begin: Begin) -> World:
    """From November on, time in phases is priced; it is the 25th."""

    def make() -> None:
        world.mara.clock.set(moment("2026-10-06"), held=True)
        cards = [rate_card("tenants-eur", "EUR", "tenants", "1", "2026-11-01") + RATES]
        cards.append(rate_card("resellers-gbp", "GBP", "resellers", "0.7", "2026-11-01") + RATES)
        world.mara.catalogue.publish("tarnwick", files(COMPUTE, *cards))
        world.user("edda").catalogue.publish(
            "oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "1", "2026-11-01") + RATES)
        )
        world.mara.clock.set(moment("2026-11-25"), held=True)

    begin(make)
    return world


def event(kind: str, identity: str, at: str, phase: str | None = None, **more: Any) -> dict[str, Any]:
    """What happened to a resource of Quillstone's."""
    data = {"meter": METER, "resource": "vm-1", "at": f"{moment(at):%Y-%m-%dT%H:%M:%SZ}"}
    data |= {"owner": "quillstone/archive", "attributes": {"size": "small"}, **more}
    return life_event(kind, SOURCE, identity, {**data, **({"phase": phase} if phase else {})})


def told(world: World, until: str, feed: str = FEED, source: str = SOURCE) -> None:
    world.send(told_event(source, f"told-{until}", moment(until)), feed=feed)


def hours(world: World, organisation: str = "quillstone", period: str = NOVEMBER) -> dict[str, Decimal]:
    """Hours by phase, as usage shows them."""
    world.settle()
    found = world.mara.usage.sum(organisation, period, by=("attribute:phase",), meter=METER, wait=60)
    return {each.keys["attribute:phase"]: each.quantity / 3600 for each in found.items if each.quantity}


def charged(world: World, organisation: str = "quillstone", period: str = NOVEMBER) -> dict[str, Decimal]:
    """Hours charged, by rate."""
    world.settle()
    seller = world.user("edda") if organisation == "saltmarsh" else world.mara
    links = seller.spend.period_so_far(organisation, period, wait=60).links
    found: dict[str, Decimal] = defaultdict(Decimal)
    for line in (line for link in links if link.buyer == organisation for line in link.lines):
        if line.rate in ("awake", "parked"):
            found[line.rate] += line.quantity
    return {rate: quantity for rate, quantity in found.items() if quantity}


def test_a_machine_is_charged_by_its_phases_as_far_as_the_feed_has_told(november: World) -> None:
    november.send(
        event("made", "1", "2026-11-03 08:20", "awake"),
        event("phase-changed", "2", "2026-11-03 10:50", "parked"),
    )
    assert hours(november) == {"awake": Decimal("2.5")}, "nothing is known of after 10:50"
    assert charged(november) == {"awake": 3}

    told(november, "2026-11-04 00:30")
    assert hours(november) == {"awake": Decimal("2.5"), "parked": Decimal(13) + Decimal(10) / 60}
    told(november, "2026-11-03 23:00")
    assert sum(hours(november).values()) == Decimal(15) + Decimal(40) / 60, "what was told stays"

    november.send(
        event("changed", "3", "2026-11-03 12:00", "awake", attributes={"size": "large"}),
        event("gone", "4", "2026-11-03 14:30", attributes={}),
    )
    assert hours(november) == {"awake": 5, "parked": Decimal(70) / 60}
    assert charged(november) == {"awake": 6, "parked": Decimal("1.166667")}
    [body] = november.mara.feed_balances.get("tarnwick", NOVEMBER, feed=FEED, wait=60).items
    [meter] = body.meters
    assert (meter.readings, meter.measured, meter.difference) == (4, 22200, None), "steps of time are no sum of it"
    assert body.open == []


def test_begun_hours_go_on_over_versions_months_and_midnights(november: World) -> None:
    """Begun at 22:40 on the last of October: the hour that ends at 0:40 is October's, the next is November's."""
    november.mara.clock.set(moment("2026-12-03"), held=True)
    november.send(
        event("made", "1", "2026-11-30 22:40", "awake"),
        event("changed", "2", "2026-12-01 01:10", "awake", attributes={"size": "large"}),
        event("gone", "3", "2026-12-01 02:00"),
    )
    assert charged(november) == {"awake": 2}
    assert charged(november, period="2026-12") == {"awake": 2}, "at 0:40 and 1:40, not at 1:10"
    [november_before] = [each for each in november.close("tarnwick", "mara", NOVEMBER) if each.buyer == "quillstone"]
    # It was there an hour earlier than was said at first: another hour begins in November, none in December.
    november.send(event("made", "1", "2026-11-30 21:50", "awake", sequence=1))
    assert charged(november) == {"awake": 3}
    assert charged(november, period="2026-12") == {"awake": 2}
    again = [each for each in november.close("tarnwick", "mara", NOVEMBER) if each.buyer == "quillstone"]
    assert [each.net for each in again] == [Decimal("0.50")]
    assert november_before.net > 0


def test_a_second_one_that_says_the_same_changes_nothing_and_one_taken_back_was_never_there(november: World) -> None:
    november.send(event("made", "1", "2026-11-03 08:00", "awake"))
    told(november, "2026-11-03 18:00")
    november.send(event("changed", "2", "2026-11-03 09:30", "awake"), event("made", "1", "2026-11-03 08:00", "awake"))
    assert charged(november) == {"awake": 10}
    november.send(event("gone", "3", "2026-11-03 12:00"))
    assert charged(november) == {"awake": 4}
    newest = max(november.mara.feeds.deliveries(FEED), key=lambda each: each.received_at)
    november.mara.deliveries.take_back(newest.id)
    assert charged(november) == {"awake": 10}


def test_what_several_share_is_begun_for_each_by_its_part(november: World) -> None:
    shares = {"quillstone/archive": Decimal(3), "tarnwick/own": Decimal(1)}
    rule = OwnershipRuleForm(name="shared", shares=shares, starts_on=date(2026, 11, 1), conditions={"account": "both"})
    november.mara.ownership_rules.set("tarnwick", [rule], 0)
    november.send(event("made", "1", "2026-11-03 08:20", "awake", owner=None, account="both"))
    told(november, "2026-11-03 10:00")
    assert hours(november) == {"awake": Decimal("1.25")}
    assert charged(november) == {"awake": Decimal("1.5")}, "three quarters of two hours begun"


def test_a_feed_gives_way_where_another_told_of_the_same(november: World) -> None:
    november.mara.feeds.create("tarnwick", slug="probe", name="Probe")
    november.send(event("made", "1", "2026-11-03 08:00", "awake"), event("gone", "2", "2026-11-03 11:00"))
    november.send(event("made", "1", "2026-11-03 06:30", "awake"), feed="tarnwick/probe")
    told(november, "2026-11-03 14:00", feed="tarnwick/probe")
    assert hours(november) == {"awake": Decimal("10.5")}, "nobody said that they tell of the same"
    assert charged(november) == {"awake": 8}, "begun hours of one machine are begun once"
    november.mara.feed_precedences.set("tarnwick/probe", [FeedFirst(feed=FEED, starts_on=date(2026, 11, 1))])
    assert hours(november) == {"awake": Decimal("7.5")}
    assert charged(november) == {"awake": 8}
    november.send(event("gone", "2", "2026-11-03 09:00", sequence=1))
    assert hours(november) == {"awake": Decimal("7.5")}, "the second goes on where the first fell silent"


def test_a_feed_that_gives_way_later_does_so_for_what_goes_on(november: World) -> None:
    november.mara.feeds.create("tarnwick", slug="probe", name="Probe")
    november.send(event("made", "1", "2026-11-03 08:00", "awake"))
    november.send(event("made", "1", "2026-11-03 08:00", "awake"), feed="tarnwick/probe")
    for feed in (FEED, "tarnwick/probe"):
        told(november, "2026-11-06 00:00", feed=feed)
    assert hours(november) == {"awake": 128}
    november.mara.feed_precedences.set("tarnwick/probe", [FeedFirst(feed=FEED, starts_on=date(2026, 11, 5))])
    assert hours(november) == {"awake": 104}
    november.mara.feed_precedences.set("tarnwick/probe", [])
    assert hours(november) == {"awake": 128}


def test_a_rule_gives_an_owner_to_all_that_goes_on_from_what_was_said(november: World) -> None:
    november.send(event("made", "1", "2026-11-03 08:00", "awake", owner=None, account="a-1"))
    november.send(event("changed", "2", "2026-11-05 08:00", "parked", owner=None, account="a-1"))
    told(november, "2026-11-07 00:00")
    rule = OwnershipRuleForm(
        name="from the 4th", owner="quillstone/archive", starts_on=date(2026, 11, 4), conditions={"account": "a-1"}
    )
    preview = november.mara.ownership_rules.preview("tarnwick", [rule])
    [move] = preview.moves
    [quantity] = move.quantities
    assert (move.readings, quantity.quantity / 3600) == (1, 40)
    november.mara.ownership_rules.set("tarnwick", [rule], 0)
    for task in november.mara.tasks.list("tarnwick"):
        assert november.mara.tasks.follow(task.id, seconds=60).state == "done"
    assert hours(november) == {"parked": 40}


def test_an_invoice_leads_to_what_was_said(november: World) -> None:
    november.mara.clock.set(moment("2026-12-03"), held=True)
    november.send(
        event("made", "0", "2026-10-20 08:00", "parked"),
        event("phase-changed", "1", "2026-10-30 22:30", "awake"),
        event("phase-changed", "2", "2026-11-02 01:30", "parked"),
        event("gone", "3", "2026-11-02 04:00", owner=None),
        event("made", "9", "2026-11-02 04:00", "parked", resource="vm-2"),
        event("made", "another's", "2026-11-04 04:00", "awake", owner="saltmarsh/booking"),
        told_event(SOURCE, "all", moment("2026-12-01")),
    )
    [invoice] = [each for each in november.close("tarnwick", "mara", NOVEMBER) if each.buyer == "quillstone"]
    [line] = [each for each in invoice.lines if each.rate == "awake"]
    assert (line.quantity, line.description) == (25, "Compute: Running, while awake, each hour begun")
    assert line.charge_id is not None
    november.send(event("phase-changed", "2", "2026-11-01 01:30", "parked", sequence=1))
    found = [each.event_id for each in november.mara.charges.readings(line.charge_id)]
    assert found == ["1", "2", "3"], "as it was when it was rated, and its own"
    [corrected] = [each for each in november.close("tarnwick", "mara", NOVEMBER) if each.buyer == "quillstone"]
    assert [each.quantity for each in corrected.lines if each.rate == "awake"] == [-24]


def test_spells_are_seen_by_whose_they_are_and_what_was_said_by_who_runs_the_feed(november: World) -> None:
    november.mara.clock.set(moment("2026-12-03"), held=True)
    november.send(
        event("made", "1", "2026-10-30 20:00", "parked"),
        event("phase-changed", "2", "2026-11-03 08:20", "awake"),
        event("made", "9", "2026-11-02 04:00", "awake", resource="vm-2", owner="saltmarsh/booking"),
        event("gone", "4", "2026-11-04 00:10"),
    )
    told(november, "2026-11-05 00:00")
    found = november.mara.spells.list("quillstone", NOVEMBER, resource="vm-1", wait=60)
    assert [(each.attributes["phase"], each.from_before, each.goes_on) for each in found.items] == [
        ("parked", True, False),
        ("awake", False, False),
    ]
    assert [each.start for each in found.items] == [moment("2026-11-01"), moment("2026-11-03 08:20")]
    assert [(each.event_id, each.level) for each in found.said] == [("1", 1), ("2", 1), ("4", 0)]
    own = november.user("una").spells.list("quillstone", NOVEMBER, resource="vm-1")
    assert own.items == found.items and own.said == []
    [theirs] = november.user("edda").spells.list("oxbow", NOVEMBER).items
    assert (theirs.resource, theirs.project, theirs.goes_on) == ("vm-2", "saltmarsh/booking", True)
    assert len(november.mara.spells.list("tarnwick", NOVEMBER).items) == 3
    cut = november.mara.spells.list("tarnwick", NOVEMBER, limit=2)
    assert cut.more and len(cut.items) == 2
    assert november.user("wynn").spells.list("thistledown", NOVEMBER, resource="vm-1").items == []
    days = november.mara.usage.sum("tarnwick", NOVEMBER, by=("day",), resource="vm-2")
    assert sum(each.quantity for each in days.items) == 68 * 3600


def test_what_no_rate_prices_is_listed(november: World) -> None:
    november.send(event("made", "1", "2026-11-03 08:00", resource="vm-odd"))
    told(november, "2026-11-03 10:00")
    assert charged(november) == {}
    november.settle()
    [row] = [each for each in november.mara.spend.not_priced("tarnwick", NOVEMBER).items if each.meter == METER]
    assert (row.reason, row.quantity) == ("no rate", 7200), "it says no phase"


def test_rates_of_begun_time_need_what_holds(november: World) -> None:
    begun = "  - {rate: begun, meter: compute/vcpu, per: vCPU-hour, where: {phase: awake}, started: hour, price: 1}\n"
    card = rate_card("tenants-eur", "EUR", "tenants", "1", "2026-12-01") + begun
    with pytest.raises(CatalogueInvalid, match="choose a meter that combines 'held'") as refused:
        november.mara.catalogue.publish("tarnwick", files(card))
    assert refused.value.facts["problems"][0]["path"] == "rates[5].started"


@pytest.mark.parametrize(
    ("kind", "changes", "words"),
    [
        ("made", {"at": "2026-11-03T08:00:00"}, "at must be a time with zone"),
        ("made", {"at": "2026-12-03T08:00:00Z"}, "is in the future"),
        ("made", {"phase": "asleep"}, "not one of parked, awake"),
        ("made", {"quantity": 0}, "send an event of that type"),
        ("gone", {"quantity": 1}, "leave it out"),
        ("phase-changed", {}, "phase is missing"),
        ("made", {"meter": "compute/vcpu", "unit": "vCPU"}, "end is missing"),
        ("made", {"colour": "red"}, "unknown fields colour"),
        ("made", {"phase": "awake", "attributes": {"phase": "awake"}}, "once"),
        ("paused", {}, "type must be one of"),
    ],
)
def test_wrong_events_are_refused_with_what_to_do(
    november: World, kind: str, changes: dict[str, Any], words: str
) -> None:
    wrong = event(kind, "1", "2026-11-03 08:00")
    wrong["data"] |= changes
    found = november.mara.readings.send(FEED, [wrong, event("made", "2", "2026-11-03 09:00", "awake")])
    assert [each.status for each in found.outcomes] == ["refused", "accepted"]
    assert words in (found.outcomes[0].reason or "")


def test_a_reading_with_an_end_is_no_statement_and_the_future_is_not_told(november: World) -> None:
    spans = event("made", "1", "2026-11-03 08:00", "awake")
    spans["type"] = "gradumen.reading.v1"
    spans["data"] = {
        **{name: spans["data"][name] for name in ("meter", "resource", "owner")},
        "quantity": 1, "unit": "piece", "start": "2026-11-03T08:00:00Z", "end": "2026-11-03T09:00:00Z",
    }  # fmt: skip
    fine = reading("fine", owner="quillstone/archive")
    endless = reading("endless", owner="quillstone/archive", end=None)
    sent = [spans, told_event(SOURCE, "t", moment("2026-11-26")), fine, endless]
    reasons = [each.reason or "" for each in november.mara.readings.send(FEED, sent).outcomes]
    assert "leave end out" in reasons[0] and "in the future" in reasons[1]
    assert not reasons[2] and "end is missing" in reasons[3], "of each, also where the one before was fine"


def listing(identity: str, at: str, *there: str, account: str | None = None, **more: Any) -> dict[str, Any]:
    """All that the source has: resource and phase of each."""
    resources = [
        {"resource": name, "phase": phase, "owner": "quillstone/archive", **more}
        for name, _, phase in (each.partition(" ") for each in there)
    ]
    data = {"meter": METER, "at": f"{moment(at):%Y-%m-%dT%H:%M:%SZ}", "resources": resources}
    return life_event("listed", SOURCE, identity, data | ({"account": account} if account else {}))


def test_what_a_later_list_misses_ended_when_it_was_last_seen(november: World) -> None:
    november.send(listing("l-1", "2026-11-03 00:00", "vm-1 awake", "vm-2 parked"))
    november.send(listing("l-2", "2026-11-04 06:00", "vm-1 awake", "vm-2 parked"))
    told(november, "2026-11-05 03:00")
    assert hours(november) == {"awake": 51, "parked": 51}
    november.send(listing("l-3", "2026-11-06 06:00", "vm-2 parked"))
    assert hours(november) == {"awake": 30, "parked": 78}, "vm-1 was last seen on the 4th at 6"
    [gone, there] = november.mara.spells.list("quillstone", NOVEMBER).items
    assert (gone.resource, gone.end, gone.inferred_end) == ("vm-1", moment("2026-11-04 06:00"), True)
    assert (there.goes_on, there.inferred_end) == (True, False)
    [feed] = november.mara.feed_balances.get("tarnwick", NOVEMBER, feed=FEED, wait=60).items
    assert [each.inferred for each in feed.meters if each.meter == METER] == [1]
    # It was gone later than that, as its own event says that comes late.
    november.send(event("gone", "9", "2026-11-05 12:00"))
    assert hours(november)["awake"] == 60
    november.send(listing("l-4", "2026-11-07 00:00"), listing("l-3", "2026-11-06 06:00", "vm-2 parked"))
    assert hours(november) == {"awake": 60, "parked": 78}
    assert charged(november) == {"awake": 60, "parked": 78}


def test_a_list_that_a_rival_took_meanwhile_is_known(november: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """Both found that it is new: the second one waits for the first one's keys, and meets its row."""
    sent = listing("l-1", "2026-11-03 00:00", "vm-1 awake")
    november.send(sent, listing("l-2", "2026-11-03 08:00"))
    known, asked = listings.known_listings, []

    def late(*given: Any) -> Any:
        asked.append(given)
        return known(*given) if len(asked) > 1 else {}

    monkeypatch.setattr(listings, "known_listings", late)
    assert [each.status for each in november.mara.readings.send(FEED, [sent]).outcomes] == ["known"]
    asked.clear()
    with pytest.raises(Conflict, match="known with other content"):
        november.mara.readings.send(FEED, [listing("l-2", "2026-11-03 09:00")])


def test_lists_are_of_an_account_and_of_what_has_none(november: World) -> None:
    november.send(
        event("made", "1", "2026-11-03 00:00", "awake", account="a"),
        event("made", "2", "2026-11-03 00:00", "parked", resource="vm-2"),
        listing("l-1", "2026-11-03 10:00", account="a"),
        told_event(SOURCE, "t", moment("2026-11-03 20:00")),
    )
    assert hours(november) == {"parked": 20}


def test_a_list_is_taken_whole_or_not_at_all(november: World) -> None:
    november.send(listing("l-1", "2026-11-03 00:00", "vm-1 awake", "vm-2 awake"))
    for wrong, words in (
        (
            listing("l-2", "2026-11-03 05:00", "vm-1 awake", "vm-2 asleep"),
            "resource 'vm-2': .*not one of parked, awake",
        ),
        (listing("l-2", "2026-11-03 05:00", "vm-1 awake", "vm-1 parked"), "stands twice"),
        (listing("l-2", "2026-12-03 05:00"), "in the future"),
        (listing("l-2", "2026-11-03 05:00", "vm-1 awake", sequence=1), "unknown fields"),
        (listing("l-1", "2026-11-03 05:00", "vm-1 awake"), "known with other content"),
    ):
        found = november.mara.readings.send(FEED, [wrong])
        assert found.refused == 1
        assert re.search(words, found.outcomes[0].reason or "")
    other = listing("l-2", "2026-11-03 05:00")
    other["data"]["meter"] = "compute/vcpu"
    assert "what holds until it changes" in (november.mara.readings.send(FEED, [other]).outcomes[0].reason or "")
    told(november, "2026-11-03 08:00")
    assert hours(november) == {"awake": 16}
    newest = max(november.mara.feeds.deliveries(FEED), key=lambda each: each.received_at)
    first = min(november.mara.feeds.deliveries(FEED), key=lambda each: each.received_at)
    assert november.mara.deliveries.take_back(newest.id).taken_back_at
    with pytest.raises(Conflict, match="a list of all that was there"):
        november.mara.deliveries.take_back(first.id)


LIVES = int(os.environ.get("GRADUMEN_LIVES", "3"))
PHASES, SIZES = ("awake", "parked"), ("small", "large")
FIRST, DAYS = moment("2026-11-03"), 6


def random_life(random: Random) -> list[dict[str, Any]]:
    """Events of some resources, at full minutes; some say the same again, or are of one moment."""
    found = []
    for number in range(random.randint(10, 30)):
        at = FIRST + timedelta(minutes=random.choice([1, 20, 60]) * random.randint(0, 140))
        kind = random.choice(["made", "changed", "phase-changed", "gone"])
        data: dict[str, Any] = {"at": f"{at:%Y-%m-%dT%H:%M:%SZ}", "resource": f"vm-{random.randint(1, 3)}"}
        data |= {"owner": random.choice(["quillstone/archive", "saltmarsh/booking"])} if kind != "gone" else {}
        if kind != "gone":
            data |= {"phase": random.choice(PHASES), "attributes": {"size": random.choice(SIZES)}}
        found += [life_event(kind, SOURCE, f"{meter}-{number}", {"meter": meter, **data}) for meter in (METER, THERE)]
    for number in range(random.randint(0, 3)):
        at = FIRST + timedelta(minutes=20 * random.randint(0, 400))
        said = {"at": f"{at:%Y-%m-%dT%H:%M:%SZ}"}
        resources = [
            {"resource": f"vm-{each}", "owner": "quillstone/archive", "phase": random.choice(PHASES)}
            for each in random.sample([1, 2, 3], random.randint(0, 3))
        ]
        for meter in (METER, THERE):
            data = {"meter": meter, "resources": resources, **said}
            found.append(life_event("listed", SOURCE, f"list-{meter}-{number}", data))
    return found


def spelt_out(events: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Events with what lists say of each resource in place of these."""
    found = []
    for each in events:
        if "listed" in each["type"]:
            common = {name: each["data"][name] for name in ("meter", "at")}
            found += [
                {**each, "id": f"{each['id']}/{place}", "data": {**common, **item}}
                for place, item in enumerate(each["data"]["resources"])
            ]
        else:
            found.append(each)
    return found


def last_seen(events: list[dict[str, Any]], resource: str) -> list[tuple[str, str]]:
    """From when to when a resource was not there, though nobody said that it was gone."""
    own = sorted(
        (
            each
            for each in spelt_out(events)
            if each["data"].get("resource") == resource and each["data"]["meter"] == METER
        ),
        key=lambda each: (each["data"]["at"], "gone" not in each["type"], each["id"]),
    )
    lists = sorted(each["data"]["at"] for each in events if "listed" in each["type"] and each["data"]["meter"] == METER)
    found = []
    for each, following in zip(own, [*own[1:], None], strict=True):
        later = [at for at in lists if at > each["data"]["at"]]
        until = following["data"]["at"] if following else "9"
        gone_then = following is not None and "gone" in following["type"]
        if "gone" not in each["type"] and later and later[0] < until and not gone_then:
            found.append((each["data"]["at"], until))
    return found


def walked(events: list[dict[str, Any]], until: datetime) -> tuple[dict[tuple[str, str], int], dict[str, int]]:
    """Minutes by owner and phase, and begun hours of being awake by owner, minute by minute."""
    minutes: dict[tuple[str, str], int] = defaultdict(int)
    begun: dict[str, int] = defaultdict(int)
    for resource in ("vm-1", "vm-2", "vm-3"):
        unseen = last_seen(events, resource)
        own = [each for each in spelt_out(events) if each["data"]["resource"] == resource]
        own = [each for each in own if each["data"]["meter"] == METER]
        own.sort(key=lambda each: (each["data"]["at"], "gone" not in each["type"], each["id"]))
        state: dict[str, Any] | None = None
        awake: dict[str, int] = {}
        at = FIRST
        while at < until:
            for each in own:
                if datetime.fromisoformat(each["data"]["at"]) == at:
                    state = None if "gone" in each["type"] else each["data"]
            said = f"{at:%Y-%m-%dT%H:%M:%SZ}"
            there = state if state and not any(first <= said < end for first, end in unseen) else None
            owner, phase = (there["owner"], there["phase"]) if there else (None, None)
            if owner and phase:
                minutes[owner, phase] += 1
            awake = {owner: awake.get(owner, 0) + 1} if owner and phase == "awake" else {}
            if owner and awake and (awake[owner] - 1) % 60 == 0:
                begun[owner] += 1
            at += timedelta(minutes=1)
    return minutes, begun


@pytest.mark.parametrize("seed", range(LIVES))
def test_whatever_comes_when_the_hours_are_those_that_were(november: World, service: Service, seed: int) -> None:
    random = Random(seed)
    events = random_life(random)
    until = FIRST + HOUR * random.randint(60, 24 * DAYS)
    sent = [*events, *random.sample(events, len(events) // 3), told_event(SOURCE, "told", until)]
    random.shuffle(sent)
    while sent:
        size = random.randint(1, 12)
        assert not november.mara.readings.send(FEED, sent[:size]).refused
        sent = sent[size:]
        if random.random() < 0.5:
            november.settle()
    until = max(until, *(datetime.fromisoformat(each["data"]["at"]).replace(minute=0) for each in events))
    minutes, begun = walked(events, until)

    for owner in ("quillstone/archive", "saltmarsh/booking"):
        expected = {phase: Decimal(minutes[owner, phase]) / 60 for phase in PHASES if minutes[owner, phase]}
        assert hours(november, owner.partition("/")[0]) == expected
        assert charged(november, owner.partition("/")[0]).get("awake", 0) == begun[owner]
    [body] = november.mara.feed_balances.get("tarnwick", NOVEMBER, feed=FEED, wait=60).items
    _, there = sorted(body.meters, key=lambda each: each.meter)
    assert (there.meter, there.readings, there.difference) == (THERE, len(spelt_out(events)) // 2, 0)
    assert there.measured == 60 * sum(minutes.values()) and body.open == []
    settle(service.uow.engine)
    assert not differing_pairs(service.uow)
