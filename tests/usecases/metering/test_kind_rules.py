"""Of what kind a reading is that no meter is called after: kept, listed, read by rules, and read anew by others."""

from collections import defaultdict
from datetime import date
from decimal import Decimal
from random import Random
from threading import Thread
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import text

from gradumen.client import Client
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.usecases.metering import read_again
from gradumen.wire.metering.kind_rules import KindRuleForm, ReadingTrial
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Service
from tests.world import EMAILS, PASSWORD, SERVICES, World, files, moment, reading

FEED, PERIOD, FIRST = "tarnwick/north-fell", "2026-09", date(2026, 9, 1)
HOUR = 3600


def rule(name: str, to: str, starts_on: date = FIRST, ends_on: date | None = None, **more: Any) -> KindRuleForm:
    kind = {key: more.pop(key) for key in ("attributes", "taken", "unit", "times") if key in more}
    return KindRuleForm(name=name, meter=to, starts_on=starts_on, ends_on=ends_on, conditions=more, **kind)


def sent(identity: str, day: int, meter: str = "vm-hours", quantity: str = "4", **changes: Any) -> dict[str, Any]:
    at = {"start": f"2026-09-{day:02d}T05:00:00Z", "end": f"2026-09-{day:02d}T06:00:00Z"}
    return reading(identity, meter=meter, quantity=quantity, **{"unit": "cores", "attributes": None, **at, **changes})


def put(world: World, *rules: KindRuleForm) -> int:
    """Set rules, and wait until all is read by them; gives their version."""
    before = world.mara.kind_rules.get("tarnwick")
    made = world.mara.kind_rules.set("tarnwick", rules, before.version)
    follow(world)
    return made.version


def follow(world: World) -> None:
    for each in world.mara.tasks.list("tarnwick"):
        if each.kind == "kinds by rule":
            assert world.mara.tasks.follow(each.id, seconds=60).state == "done"
    world.settle()


def used(world: World, *by: str) -> dict[tuple[str, ...], Decimal]:
    """What was used in September by meter, and by other dimensions."""
    world.settle()
    items = world.mara.usage.sum("tarnwick", PERIOD, by=by, wait=60).items
    return {(each.meter, *(each.keys[name] for name in by)): each.quantity for each in items if each.quantity}


def charged(world: World) -> dict[str, Decimal]:
    """Processors charged in September, by buyer."""
    found = [
        each
        for user in ("mara", "edda")
        for each in world.user(user)
        .spend.period_so_far({"mara": "tarnwick", "edda": "oxbow"}[user], PERIOD, wait=60)
        .links
    ]
    return {
        link.buyer: sum((line.quantity for line in link.lines if line.service == "compute"), Decimal())
        for link in found if any(line.service == "compute" for line in link.lines)
    }  # fmt: skip


def unknown(world: World) -> dict[str, int]:
    found = world.mara.kind_rules.unknown("tarnwick", PERIOD)
    assert not found.waiting
    return {each.sent_meter: each.readings for each in found.items}


CORES = rule("Cores", "compute/vcpu", meter="vm-hours", unit="vCPU", taken={"size": "flavour"})


def test_what_no_meter_is_called_after_is_kept_listed_and_becomes_what_a_rule_shows(world: World) -> None:
    mara = world.mara
    events = [sent(f"a-{day}", day, resource=f"vm-{day % 2}", attributes={"flavour": "large"}) for day in range(1, 5)]
    outcome = mara.readings.send(FEED, [*events, sent("b", 3, "compute/größe", "7", unit="GB")])
    assert (outcome.accepted, outcome.refused) == (5, 0)
    first = outcome.outcomes[0]
    assert first.reason is not None and "no rule says what meter 'vm-hours' is" in first.reason
    assert (first.status, first.field) == ("accepted", "meter")
    assert used(world) == {}, "nobody is charged for it"
    listed = mara.kind_rules.unknown("tarnwick", PERIOD)
    assert [(each.sent_meter, each.sent_unit, each.resources, each.readings) for each in listed.items] == [
        ("vm-hours", "cores", 2, 4), ("compute/größe", "GB", 1, 1),
    ]  # fmt: skip
    assert listed.items[0].attributes == {"flavour": ["large"]} and listed.items[0].quantity == 16
    [todo] = [each for each in mara.to_dos.list("tarnwick") if each.kind == "unknown kind"]
    assert todo.title == "What 2 resources sent is of unknown kind"
    [balance] = [each for each in mara.feed_balances.get("tarnwick", PERIOD, wait=60).items if each.feed == FEED]
    assert balance.unknown == 5 and balance.open == ["unknown kind"]

    none = mara.kind_rules.preview("tarnwick", [rule("Cores", "compute/vcpu", meter="vm-hours")])
    [still] = none.moves
    assert (still.before, still.after, still.rule, still.readings, none.unknown) == (None, None, "Cores", 4, 5)
    assert still.why is not None and "unit 'cores' is not known" in still.why
    preview = mara.kind_rules.preview("tarnwick", [CORES])
    [move] = preview.moves
    assert (move.sent_meter, move.before, move.after, move.rule, move.readings, move.resources) == (
        "vm-hours", None, "compute/vcpu", "Cores", 4, 2,
    )  # fmt: skip
    assert move.quantity is not None and move.quantity.quantity == 16 * HOUR and move.attributes == [{"size": "large"}]
    assert (preview.unknown, used(world)) == (1, {}), "it was only looked at"
    put(world, CORES)
    assert used(world, "attribute:size") == {("compute/vcpu", "large"): 16 * HOUR}
    assert unknown(world) == {"compute/größe": 1}
    assert charged(world) == {"oxbow": 16, "saltmarsh": 16}
    mara.readings.send(FEED, [sent("later", 9, attributes={"flavour": "small"})])
    assert used(world, "attribute:size")["compute/vcpu", "small"] == 4 * HOUR
    put(world)
    assert used(world) == {} and unknown(world) == {"vm-hours": 5, "compute/größe": 1}, (
        "as if there had never been a rule"
    )
    [balance] = [each for each in mara.feed_balances.get("tarnwick", PERIOD, wait=60).items if each.feed == FEED]
    assert balance.unknown == 6 and not balance.meters


def test_the_more_specific_rule_counts_and_one_that_cannot_say_leaves_it_unknown(world: World) -> None:
    gpus = rule(
        "GPUs", "network/egress", unit="byte", times="gpu_count", meter="vm-hours", where={"gpu_count": {"at-least": "1"}}
    )  # fmt: skip
    found = world.mara.kind_rules.set("tarnwick", [CORES, gpus], 0)
    assert found.order == [1, 0]
    follow(world)
    world.mara.readings.send(
        FEED,
        [
            sent("plain", 1, attributes={"flavour": "small"}),
            sent("gpu", 1, attributes={"flavour": "small", "gpu_count": "3"}),
            sent("none", 2, attributes={"gpu_count": "2.5"}, quantity="2"),
            sent("strange", 3, attributes={"flavour": "huge"}),
            sent("unsaid", 3, attributes={"gpu_count": "0"}),
        ],
    )
    assert used(world) == {("compute/vcpu",): 4 * HOUR, ("network/egress",): 4 * 3 + 5}
    reasons = {each.why for each in world.mara.kind_rules.unknown("tarnwick", PERIOD).items}
    assert reasons == {
        "attribute size 'huge' is not one of small, large", "rule 'Cores' takes size from 'flavour', which is not said",
    }  # fmt: skip
    trial = ReadingTrial(
        feed="north-fell", source="s", resource="vm-9", meter="vm-hours", unit="cores", quantity=Decimal(2),
        start=moment("2026-09-05"), attributes={"flavour": "small", "gpu_count": "4"},
    )  # fmt: skip
    tried = world.mara.kind_rules.try_reading("tarnwick", trial)
    assert [each.name for each in tried.taken_by] == ["GPUs", "Cores"] and tried.meter == "network/egress"
    assert tried.quantity is not None and tried.quantity.quantity == 8 and tried.owner is None
    before = world.mara.kind_rules.try_reading("tarnwick", trial.model_copy(update={"start": moment("2026-08-05")}))
    assert (before.meter, before.why) == (None, "no rule says what meter 'vm-hours' is")
    other = world.mara.kind_rules.try_reading("tarnwick", trial.model_copy(update={"rules": [CORES]}))
    assert (other.meter, other.attributes) == ("compute/vcpu", {"size": "small"})


def test_what_was_sent_with_it_still_says_whose_it_is(world: World) -> None:
    world.mara.readings.send(
        FEED, [sent("a", 1, owner=None, attributes={"flavour": "small", "team": "quillstone/archive"})]
    )
    put(world, CORES)
    assert world.mara.usage.sum("quillstone", PERIOD, wait=60).items == []
    owned = OwnershipRuleForm(name="Teams", by="where.team", starts_on=FIRST, conditions={})
    world.mara.ownership_rules.set("tarnwick", [owned], 0)
    for each in world.mara.tasks.list("tarnwick"):
        world.mara.tasks.follow(each.id, seconds=60)
    assert used(world, "project") == {("compute/vcpu", "quillstone/archive"): 4 * HOUR}
    tried = world.mara.kind_rules.try_reading(
        "tarnwick",
        ReadingTrial(
            feed="north-fell", source="s", resource="x", meter="vm-hours", unit="cores", start=moment("2026-09-05"),
            attributes={"flavour": "small", "team": "thistledown/records"},
        ),
    )  # fmt: skip
    assert (tried.owner, tried.owner_rule) == ("thistledown/records", "Teams")


def test_what_was_read_anew_is_replaced_and_taken_back_as_it_was_sent(world: World) -> None:
    mara = world.mara
    first = mara.readings.send(FEED, [sent(f"a-{day}", day, attributes={"flavour": "small"}) for day in (1, 2, 3)])
    put(world, CORES)
    again = mara.readings.send(FEED, [sent("a-1", 1, attributes={"flavour": "small"})])
    assert again.known == 1, "it is known by what was sent"
    mara.readings.send(FEED, [sent("a-2", 2, quantity="10", sequence=1, attributes={"flavour": "small"})])
    assert used(world) == {("compute/vcpu",): 18 * HOUR}
    assert [each.accepted for each in mara.feeds.deliveries(FEED)] == [1, 0, 3], "nobody sent what was read anew"
    assert charged(world) == {"oxbow": 18, "saltmarsh": 18}
    mara.deliveries.take_back(first.delivery_id)
    assert used(world) == {("compute/vcpu",): 10 * HOUR}, "what replaced one of them stays"
    put(world)
    assert unknown(world) == {"vm-hours": 1}
    [balance] = [each for each in mara.feed_balances.get("tarnwick", PERIOD, wait=60).items if each.feed == FEED]
    assert balance.unknown == 1
    mara.readings.send(FEED, [sent("a-1", 1, attributes={"flavour": "small"})])
    assert unknown(world) == {"vm-hours": 2}, "what was taken back can come again"


def test_a_meter_of_ours_is_what_it_says_until_a_rule_takes_it(world: World) -> None:
    world.send(sent("own", 1, "compute/vcpu", unit="vCPU", attributes={"size": "large"}))
    put(world, rule("Sent out", "network/egress", meter="compute/vcpu", unit="KiB", times="size"))
    found = world.mara.kind_rules.unknown("tarnwick", PERIOD)
    assert [each.sent_meter for each in found.items] == ["compute/vcpu"] and "size" in found.items[0].why
    put(world, rule("Sent out", "network/egress", meter="compute/vcpu", unit="KiB"))
    assert used(world) == {("network/egress",): 4 * 1024}
    put(world)
    assert used(world, "attribute:size") == {("compute/vcpu", "large"): 4 * HOUR}


def test_what_names_a_meter_that_is_published_later_becomes_it(world: World, service: Service) -> None:
    world.mara.readings.send(FEED, [sent("a", 1, "storage/space", "3", unit="GiB")])
    assert used(world) == {} and unknown(world) == {"storage/space": 1}
    storage = "service: storage\nname: Storage\ncategory: Storage\nsubcategory: Block Storage\nmeters:\n"
    world.mara.catalogue.publish(
        "tarnwick", files(storage + "  space: {name: Space, unit: byte-second, combine: level}")
    )
    service.worker.do_chores()
    follow(world)
    assert used(world) == {("storage/space",): 3 * 2**30 * HOUR} and unknown(world) == {}
    service.worker.do_chores()
    assert len([each for each in world.mara.tasks.list("tarnwick") if each.kind == "kinds by rule"]) == 1


def test_what_holds_until_it_changes_is_read_anew_too(world: World) -> None:
    compute = SERVICES.split("---")[0].replace(
        "meters:", "meters:\n  on: {name: On, unit: piece-second, combine: held}"
    )
    world.mara.catalogue.publish("tarnwick", files(compute))
    states = [
        sent(f"s-{day}", day, "power", quantity, unit="piece", end=None) for day, quantity in ((2, "1"), (4, "0"))
    ]
    world.mara.readings.send(FEED, states)
    assert unknown(world) == {"power": 2}
    put(world, rule("On", "compute/on", meter="power"))
    assert used(world) == {("compute/on",): 48 * HOUR}
    put(world, rule("On", "compute/vcpu", meter="power"))
    [listed] = world.mara.kind_rules.unknown("tarnwick", PERIOD).items
    assert "counts what a reading covers" in listed.why and used(world) == {}


def test_who_may_set_rules_and_what_they_may_be(world: World) -> None:
    mara, edda = world.mara, world.user("edda")
    put(world, CORES)
    with pytest.raises(EditedMeanwhile):
        mara.kind_rules.set("tarnwick", [], 0)
    assert mara.kind_rules.set("tarnwick", [CORES], 0).version == 1, "the same again changes nothing"
    with pytest.raises(Forbidden):
        world.user("oda").kind_rules.set("tarnwick", [], 1)
    with pytest.raises(NotFound):
        edda.kind_rules.get("tarnwick")
    assert edda.kind_rules.get("oxbow").rules == [], "a reseller's rules are of its own feeds"
    assert edda.kind_rules.set("oxbow", [CORES], 0).version == 1, "and of its suppliers' meters"
    labour = "service: labour\nname: Labour\ncategory: Other\nsubcategory: Other (Other)\nmeters:\n"
    edda.catalogue.publish("oxbow", files(labour + "  time: {name: Time, unit: second, combine: sum}"))
    with pytest.raises(Invalid, match="meter 'labour/time' is not known"):
        mara.kind_rules.set("tarnwick", [rule("X", "labour/time", meter="a")], 1)
    wrong = {
        "rules[0].meter": rule("X", "compute/nothing", meter="a"),
        "rules[0].attributes.size": rule("X", "compute/vcpu", meter="a", attributes={"size": "huge"}),
        "rules[0].taken": rule("X", "compute/vcpu", meter="a", taken={"colour": "b"}),
        "rules[0].unit": rule("X", "compute/vcpu", meter="a", unit="GiB"),
        "rules[0].conditions": rule("X", "compute/vcpu"),
        "rules[0].ends_on": rule("X", "compute/vcpu", ends_on=FIRST, meter="a"),
        "rules[0].name": rule(" ", "compute/vcpu", meter="a"),
    }
    for field, each in wrong.items():
        with pytest.raises(Invalid) as refused:
            mara.kind_rules.set("tarnwick", [each], 1)
        assert refused.value.facts["field"] == field
    with pytest.raises(Invalid, match="two rules are called 'Cores'"):
        mara.kind_rules.set("tarnwick", [CORES, CORES], 1)


def test_a_document_of_what_was_read_by_a_rule_leads_to_its_readings_after_the_rule_is_gone(world: World) -> None:
    world.mara.readings.send(FEED, [sent("a", 1, attributes={"flavour": "small"})])
    put(world, CORES)
    world.settle()
    world.mara.clock.set(moment("2026-10-05"), held=True)
    [document] = world.close("oxbow", "piers", PERIOD)
    [(charge, net)] = [(each.charge_id, each.amount) for each in document.lines if each.service == "compute"]
    assert charge is not None and net
    [evidence] = world.user("piers").charges.readings(charge)
    assert (evidence.event_id, evidence.quantity, evidence.sent) == ("a", 4, "4 cores vm-hours")
    put(world)
    assert used(world) == {}
    assert [each.event_id for each in world.user("piers").charges.readings(charge)] == ["a"], "as of then"
    [credit] = world.close("oxbow", "piers", PERIOD)
    assert [each.amount for each in credit.lines] == [-net]


METERS = ("vm-hours", "disk", "compute/vcpu")
RULES = [
    rule("Cores", "compute/vcpu", meter="vm-hours", unit="vCPU", attributes={"size": "small"}),
    rule("Large", "compute/vcpu", meter="vm-hours", unit="vCPU", attributes={"size": "large"}, where={"big": "yes"}),
    rule("Late", "network/egress", date(2026, 9, 5), meter="vm-hours", unit="byte", resource={"prefix": "vm-1"}),
    rule("Disks", "network/egress", meter="disk", unit="GB", times="count"),
    rule("Own", "network/egress", date(2026, 9, 3), date(2026, 9, 6), meter="compute/vcpu", unit="byte"),
]


def expected(rules: list[KindRuleForm], stands: dict[str, dict[str, Any]]) -> dict[tuple[str, ...], Decimal]:
    """Usage by meter and size, counted plainly: the rule with the most conditions, of as many the first."""
    sums: dict[tuple[str, ...], Decimal] = defaultdict(Decimal)
    for each in stands.values():
        data, told = each["data"], each["data"].get("attributes") or {}
        day = date.fromisoformat(data["start"][:10])
        best: tuple[tuple[int, bool], KindRuleForm] | None = None
        for one in rules:
            on, where = one.conditions, one.conditions.get("where", {})
            takes = on["meter"] == data["meter"] and all(told.get(key) == value for key, value in where.items())
            takes = takes and data["resource"].startswith(on.get("resource", {"prefix": ""})["prefix"])
            takes = takes and one.starts_on <= day and (one.ends_on is None or day < one.ends_on)
            count = (len(on) - bool(where) + len(where), "resource" not in on)
            if takes and (best is None or count > best[0]):
                best = count, one
        quantity = Decimal(data["quantity"])
        if best is None:
            if data["meter"] == "compute/vcpu":
                sums["compute/vcpu", told["size"]] += quantity * HOUR
        elif best[1].meter == "compute/vcpu":
            sums["compute/vcpu", best[1].attributes["size"]] += quantity * HOUR
        elif best[1].times is None:
            sums["network/egress", ""] += quantity
        elif "count" in told:
            sums["network/egress", ""] += quantity * 10**9 * int(told["count"])
    return {key: quantity for key, quantity in sums.items() if quantity}


@pytest.mark.parametrize("seed", range(3))
def test_whatever_the_order_of_readings_and_rules_usage_is_what_the_last_rules_say(world: World, seed: int) -> None:
    random = Random(seed)
    stands: dict[str, dict[str, Any]] = {}
    rules: list[KindRuleForm] = []
    for turn in range(12):
        if random.random() < 0.5:
            batch = []
            for number in range(random.randint(1, 8)):
                identity = (
                    f"r-{turn}-{number}" if not stands or random.random() < 0.7 else random.choice(sorted(stands))
                )
                meter = random.choice(METERS)
                told = {"size": random.choice(["small", "large"])} if meter == "compute/vcpu" else {}
                told |= {} if told else random.choice([{"big": "yes"}, {"count": "3"}, {"big": "no", "count": "2"}, {}])
                event = sent(
                    identity, random.randint(1, 9), meter, str(random.randint(1, 9)), sequence=turn * 10 + number,
                    resource=random.choice(["vm-1", "vm-2"]), attributes=told or None,
                    unit="vCPU" if meter == "compute/vcpu" else "things",
                )  # fmt: skip
                stands[identity] = event
                batch.append(event)
            outcome = world.mara.readings.send(FEED, batch)
            assert outcome.refused == 0, outcome
        else:
            rules = random.sample(RULES, random.randint(0, len(RULES)))
            world.mara.kind_rules.set("tarnwick", rules, world.mara.kind_rules.get("tarnwick").version)
            if random.random() < 0.5:
                follow(world)
    follow(world)
    items = world.mara.usage.sum("tarnwick", PERIOD, by=("attribute:size",), wait=60).items
    found = {(each.meter, each.keys["attribute:size"]): each.quantity for each in items if each.quantity}
    assert found == expected(rules, stands)
    came = world.mara.feed_balances.get("tarnwick", PERIOD, wait=60).items
    [balance] = [each for each in came if each.feed == FEED]
    assert balance.unknown + sum(each.readings for each in balance.meters) == len(stands), "each counts once"
    assert all(each.difference == 0 for each in balance.meters)


def test_a_delivery_of_rules_cannot_be_taken_back(world: World, service: Service) -> None:
    world.mara.readings.send(FEED, [sent("a", 1, attributes={"flavour": "small"})])
    put(world, CORES)
    made = service.uow.run(lambda tx: tx.scalar(text("SELECT public_id FROM deliveries WHERE is_read_again = 1")))
    with pytest.raises(Conflict, match="nobody sent this"):
        world.mara.deliveries.take_back(UUID(made))


def test_what_pours_in_while_rules_change_is_what_the_last_ones_say(world: World) -> None:
    def pour(part: int) -> None:
        client = clients[part]
        for number in range(6):
            batch = [sent(f"p-{part}-{number}-{day}", day, attributes={"flavour": "small"}) for day in range(1, 10)]
            assert client.readings.send(FEED, batch).accepted == 9

    clients = {1: Client(world.url), 2: Client(world.url)}
    for client in clients.values():
        client.sign_in(EMAILS["mara"], PASSWORD)
    threads = [Thread(target=pour, args=(part,)) for part in clients]
    for each in threads:
        each.start()
    version = 0
    late = rule("Late", "network/egress", date(2026, 9, 5), meter="vm-hours", unit="byte")
    for rules in ([CORES], [], [CORES, late], [late], [CORES]):
        version = world.mara.kind_rules.set("tarnwick", rules, version).version
    for each in threads:
        each.join(60)
    for client in clients.values():
        client.close()
    follow(world)
    assert unknown(world) == {}
    assert used(world) == {("compute/vcpu",): 2 * 6 * 9 * 4 * HOUR}


def test_a_task_that_was_stopped_in_the_middle_goes_on_where_it_was(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(read_again, "BATCH", 3)
    world.mara.readings.send(
        FEED, [sent(f"r-{number}", number % 9 + 1, attributes={"flavour": "small"}) for number in range(10)]
    )
    calls: list[int] = []
    write = read_again._write

    def failing(*given: Any) -> None:
        calls.append(1)
        write(*given)
        if len(calls) == 3:
            raise OSError("the third batch is written, and not kept")

    monkeypatch.setattr(read_again, "_write", failing)
    world.mara.kind_rules.set("tarnwick", [CORES], 0)
    follow(world)
    assert used(world) == {("compute/vcpu",): 40 * HOUR} and unknown(world) == {}
    kept = service.uow.run(lambda tx: tx.scalar(text("SELECT SUM(accepted) FROM deliveries WHERE is_read_again = 1")))
    assert kept == 10 and len(calls) == 5


def test_what_it_looks_like_is_a_meter_of_the_seller_or_above(world: World) -> None:
    mara, edda = world.mara, world.user("edda")
    own = SERVICES.split("---")[0].replace("service: compute", "service: ox-compute")
    edda.catalogue.publish("oxbow", files(own))
    edda.feeds.create("oxbow", slug="barn", name="Barn")
    assert mara.readings.send(FEED, [sent("a", 3, meter="guest.cores", attributes={"flavour": "small"})]).accepted == 1
    assert (
        edda.readings.send("oxbow/barn", [sent("b", 3, meter="guest.cores", owner="saltmarsh/booking")]).accepted == 1
    )
    [found] = mara.kind_rules.unknown("tarnwick", PERIOD).items
    assert found.guess is not None and found.guess.meter == "compute/vcpu", "oxbow's is none of its business"
    assert (found.guess.unit, found.guess.attributes) == ("vCPU", {"size": "flavour"})
    [found] = edda.kind_rules.unknown("oxbow", PERIOD).items
    assert found.guess is None, "it may be its own, or its seller's"
    confirmed = rule("Guessed", "compute/vcpu", meter="guest.cores", unit="vCPU", taken={"size": "flavour"})
    put(world, confirmed)
    assert mara.kind_rules.unknown("tarnwick", PERIOD).items == []
    assert used(world)[("compute/vcpu",)] == 4 * HOUR
