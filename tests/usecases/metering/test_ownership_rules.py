"""Whose usage is that names no owner: found by rules, for their days, without a reading being written anew."""

import time
from datetime import UTC, date, datetime
from decimal import Decimal
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from gradumen.core.catalogue.conditions import Contains, Equals, OneOf, Prefix
from gradumen.core.errors import EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.metering.dated_rules import RuleIndex, first_difference
from gradumen.core.metering.ownership import OwnershipRule
from gradumen.core.metering.told_conditions import AllOf, Conditions
from gradumen.jobs.worker import Worker
from gradumen.usecases.metering import unowned_usage
from gradumen.usecases.subscriptions.moves_due import complete_moves
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Service
from tests.world import World, add_bluefern, egress, moment, reading

PERIOD, FIRST = "2026-09", date(2026, 9, 1)


def rule(name: str, owner: str, starts_on: date = FIRST, ends_on: date | None = None, **on: Any) -> OwnershipRuleForm:
    return OwnershipRuleForm(name=name, owner=owner, starts_on=starts_on, ends_on=ends_on, conditions=on)


def sent(identity: str, day: int, account: str | None, quantity: int = 100, **changes: Any) -> dict[str, Any]:
    at = {"start": f"2026-09-{day:02d}T05:00:00Z", "end": f"2026-09-{day:02d}T06:00:00Z"}
    return egress(identity, quantity, owner=None, account=account, **{**at, **changes})


@pytest.fixture
def cumulant(world: World) -> World:
    """Two accounts of which nobody said whose they are, beside usage that names its owner."""
    world.send(
        *(sent(f"a-{day}", day, "acc-7", resource=f"box-{day % 2}") for day in range(1, 11)),
        sent("b", 3, "acc-8", 40, resource="vault"),
        sent("c", 3, None, 5, resource="loose"),
        egress("named", 7, start="2026-09-03T05:00:00Z", end="2026-09-03T06:00:00Z"),
    )
    return world


def owners(world: World) -> dict[str, Decimal]:
    """What was used in September, by project."""
    world.settle()
    items = world.mara.usage.sum("tarnwick", PERIOD, by=("project",), wait=60).items
    return {each.keys["project"]: each.quantity for each in items}


def put(world: World, *rules: OwnershipRuleForm) -> int:
    """Set rules, and wait until all is made by them; gives their version."""
    before = world.mara.ownership_rules.get("tarnwick")
    made = world.mara.ownership_rules.set("tarnwick", rules, before.version)
    tasks = [each for each in world.mara.tasks.list("tarnwick") if each.kind == "owners by rule"]
    for each in tasks:
        assert world.mara.tasks.follow(each.id, seconds=60).state == "done"
    return made.version


def test_what_came_in_since_somebody_looked_is_looked_at_again(cumulant: World) -> None:
    """More of the same resources goes the same way; other resources were not seen."""
    mara, rules = cumulant.mara, [rule("Seven", "quillstone/archive", account="acc-7")]
    cumulant.settle()
    seen = mara.ownership_rules.preview("tarnwick", rules).seen
    cumulant.send(sent("more", 12, "acc-7", resource="box-1"), sent("elsewhere", 12, "acc-8", resource="vault-2"))
    cumulant.settle()
    mara.ownership_rules.set("tarnwick", rules, 0, seen=seen)
    put(cumulant)
    version = mara.ownership_rules.get("tarnwick").version
    seen = mara.ownership_rules.preview("tarnwick", rules).seen
    cumulant.send(sent("new", 13, "acc-7", resource="box-9"))
    cumulant.settle()
    with pytest.raises(EditedMeanwhile, match="what came in since you looked") as refused:
        mara.ownership_rules.set("tarnwick", rules, version, seen=seen)
    assert refused.value.facts["field"] == "seen" and mara.ownership_rules.get("tarnwick").rules == []
    seen = mara.ownership_rules.preview("tarnwick", rules).seen
    mara.ownership_rules.set("tarnwick", rules, version, seen=seen)
    assert mara.ownership_rules.preview("tarnwick", rules).seen is None, "nothing would change any more"
    with pytest.raises(EditedMeanwhile):
        mara.ownership_rules.set("tarnwick", [], version + 1, seen="nothing:at all")


def test_what_nobody_owns_is_listed_and_a_rule_gives_exactly_what_was_shown(cumulant: World) -> None:
    mara = cumulant.mara
    found = mara.ownership_rules.unowned("tarnwick", PERIOD)
    assert [(each.account, each.resources, each.readings) for each in found.items] == [
        ("acc-7", 2, 10), ("acc-8", 1, 1), (None, 1, 1),
    ]  # fmt: skip
    assert [(each.meter, each.quantity) for each in found.items[0].quantities] == [("network/egress", 1000)]
    [feed] = [each for each in found.feeds if each.feed == "tarnwick/north-fell"]
    assert (feed.readings, feed.owned, feed.nobodys) == (13, 1, 12)
    [todo] = [each for each in mara.to_dos.list("tarnwick") if each.kind == "unowned"]
    assert todo.title == "Usage of 4 resources is nobody's"
    assert owners(cumulant) == {"saltmarsh/booking": 7}

    wanted = rule("Cumulant 7", "quillstone/archive", account="acc-7")
    preview = mara.ownership_rules.preview("tarnwick", [wanted])
    [move] = preview.moves
    assert (move.before, move.after, move.rule, move.resources, move.readings) == (
        None, "quillstone/archive", "Cumulant 7", 2, 10,
    )  # fmt: skip
    assert [each.quantity for each in move.quantities] == [1000] and (preview.nobodys, preview.more) == (2, False)
    assert owners(cumulant) == {"saltmarsh/booking": 7}, "it was only looked at"
    put(cumulant, wanted)
    assert owners(cumulant) == {"saltmarsh/booking": 7, "quillstone/archive": 1000}
    after = mara.ownership_rules.unowned("tarnwick", PERIOD)
    assert [each.account for each in after.items] == ["acc-8", None]
    [feed] = [each for each in after.feeds if each.feed == "tarnwick/north-fell"]
    assert (feed.readings, feed.owned, feed.nobodys) == (13, 11, 2)
    lines = mara.spend.period_so_far("tarnwick", PERIOD, wait=60).links
    assert any(link.buyer == "quillstone" and link.lines for link in lines), "it is charged"
    cumulant.send(sent("later", 12, "acc-7", 11))
    assert owners(cumulant)["quillstone/archive"] == 1011, "what comes in later has its owner at once"
    put(cumulant)
    assert owners(cumulant) == {"saltmarsh/booking": 7}, "as if there had never been a rule"


def test_what_is_shown_is_what_moves_over_midnight_and_from_one_owner_to_another(cumulant: World) -> None:
    over = reading(
        "night", owner=None, account="acc-5", resource="vm-n", start="2026-09-14T20:00:00Z", end="2026-09-15T08:00:00Z"
    )
    cumulant.send(over)
    wanted = rule("Nights", "quillstone/archive", account="acc-5")
    [move] = cumulant.mara.ownership_rules.preview("tarnwick", [wanted]).moves
    assert (move.readings, move.first_day, move.last_day) == (1, date(2026, 9, 14), date(2026, 9, 14))
    [shown] = move.quantities
    put(cumulant, wanted)
    [used] = cumulant.mara.usage.sum("quillstone", PERIOD, wait=60).items
    assert used.quantity == shown.quantity == 4 * 12 * 3600
    given = rule("Nights", "thistledown/records", account="acc-5")
    [again] = cumulant.mara.ownership_rules.preview("tarnwick", [given]).moves
    assert (again.before, again.after) == ("quillstone/archive", "thistledown/records")
    assert [each.quantity for each in again.quantities] == [used.quantity]


def test_a_document_leads_to_the_readings_that_a_rule_gave_an_owner(cumulant: World) -> None:
    """Of the days on which they were its owner's, and to no others."""
    half = rule("All", "quillstone/archive", ends_on=date(2026, 9, 6), account="acc-7")
    rest = rule("Rest", "thistledown/records", starts_on=date(2026, 9, 6), account="acc-7")
    put(cumulant, half, rest)
    cumulant.settle()
    [invoice] = [each for each in cumulant.close("tarnwick", "finn", PERIOD) if each.buyer == "quillstone"]
    [line] = [each for each in invoice.lines if each.rate == "egress"]
    assert line.charge_id is not None
    found = cumulant.mara.charges.readings(line.charge_id)
    assert [each.event_id for each in found] == [f"a-{day}" for day in range(1, 6)]


def test_who_is_named_and_not_there_is_given_to_nobody_else(cumulant: World, service: Service) -> None:
    with service.worker.gate, service.uow.engine.begin() as connection:
        connection.execute(text("UPDATE origins SET owner = 'gone/away' WHERE account = 'acc-8'"))
    put(cumulant, rule("All", "quillstone/archive", feed="north-fell"))
    cumulant.send(sent("more", 3, "acc-9", 41, resource="vault"))
    assert owners(cumulant) == {"saltmarsh/booking": 7, "quillstone/archive": 1000 + 5 + 41}


def test_the_first_rule_that_holds_on_the_day_takes_it(cumulant: World) -> None:
    put(
        cumulant,
        rule("Until the fifth", "saltmarsh/booking", ends_on=date(2026, 9, 5), account={"prefix": "acc-"}),
        rule("Box 1", "thistledown/records", resource=["box-1", "vault"]),
        rule("The rest", "quillstone/archive", feed="north-fell"),
    )
    # Days 1 to 4 of acc-7 with acc-8 on the third; then box-1 is of the odd days, and what has no account is the rest's.
    assert owners(cumulant) == {
        "saltmarsh/booking": 7 + 400 + 40, "thistledown/records": 300, "quillstone/archive": 300 + 5,
    }  # fmt: skip


def test_attributes_and_meters_are_looked_at_and_an_owner_that_was_sent_stays(cumulant: World) -> None:
    cumulant.send(
        reading("vm", owner=None, resource="vm-9", attributes={"size": "large"}),
        reading("vm-small", owner=None, resource="vm-8", attributes={"size": "small"}),
    )
    put(cumulant, rule("Large ones", "quillstone/archive", meter="compute/vcpu", where={"size": "large"}))
    seen = cumulant.mara.usage.sum("quillstone", PERIOD, by=("resource",), wait=60).items
    assert [each.keys["resource"] for each in seen] == ["vm-9"]
    put(cumulant, rule("All", "quillstone/archive", feed="north-fell"))
    assert owners(cumulant)["saltmarsh/booking"] == 7


def test_rules_are_refused_with_their_place_and_nothing_is_half_set(cumulant: World) -> None:
    mara = cumulant.mara
    fine = rule("Fine", "quillstone/archive", account="acc-7")
    for wrong, field, said in (
        (rule("X", "nobody/none", account="a"), "rules[1].owner", "is no project of Tarnwick"),
        (rule("X", "quillstone", account="a"), "rules[1].owner", "write organisation/project"),
        (rule("X", "quillstone/archive"), "rules[1].conditions", "at least one of"),
        (rule("X", "quillstone/archive", colour="red"), "rules[1].conditions", "colour"),
        (rule("X", "quillstone/archive", account={"begins": "a"}), "rules[1].conditions", "prefix"),
        (rule("X", "quillstone/archive", ends_on=FIRST, account="a"), "rules[1].ends_on", "must be after"),
        (rule(" ", "quillstone/archive", account="a"), "rules[1].name", "1 to 120"),
    ):
        with pytest.raises(Invalid, match=said) as refused:
            mara.ownership_rules.set("tarnwick", [fine, wrong], 0)
        assert refused.value.facts["field"] == field
        with pytest.raises(Invalid):
            mara.ownership_rules.preview("tarnwick", [fine, wrong])
    assert mara.ownership_rules.get("tarnwick").rules == []
    put(cumulant, fine)
    with pytest.raises(EditedMeanwhile, match="at version 1, you changed 0"):
        mara.ownership_rules.set("tarnwick", [], 0)
    assert mara.ownership_rules.set("tarnwick", [fine], 0).version == 1, "the same again changes nothing"
    assert "Fine: quillstone/archive" in str(mara.audit_entries.list("tarnwick"))


def test_a_seller_rules_over_its_own_feeds_and_customers_alone(cumulant: World) -> None:
    edda = cumulant.user("edda")
    edda.feeds.create("oxbow", slug="vaults", name="Vaults")
    with pytest.raises(Invalid, match="is no project of Oxbow"):
        edda.ownership_rules.set("oxbow", [rule("X", "quillstone/archive", account="acc-7")], 0)
    assert edda.ownership_rules.set("oxbow", [rule("All", "saltmarsh/booking", account="acc-7")], 0).version == 1
    cumulant.settle()
    assert owners(cumulant) == {"saltmarsh/booking": 7}, "it says nothing of the provider's feeds"
    assert edda.ownership_rules.unowned("oxbow", PERIOD).items == []
    for user, refusal in (("ines", NotFound), ("edda", NotFound)):
        with pytest.raises(refusal):
            cumulant.user(user).ownership_rules.unowned("tarnwick", PERIOD)
    with pytest.raises(Forbidden):
        cumulant.user("piers").ownership_rules.set("oxbow", [], 1)
    with pytest.raises(Forbidden):
        cumulant.mara.ownership_rules.unowned("oxbow", PERIOD)


def test_who_has_moved_is_nobody_to_the_rules_of_its_seller_before(world: World, service: Service) -> None:
    add_bluefern(world)
    edda = world.user("edda")
    edda.feeds.create("oxbow", slug="vaults", name="Vaults")
    wanted = rule("Nine", "saltmarsh/booking", date(2026, 10, 1), account="acc-9")
    edda.ownership_rules.set("oxbow", [wanted], 0)
    world.mara.moves.plan("saltmarsh", "bluefern", date(2026, 10, 15), "It moves house.")
    world.mara.clock.set(moment("2026-10-20 09:00"), held=True)
    with service.worker.gate:
        complete_moves(service.uow, at=datetime.now(UTC))
    days = [
        sent(
            f"x-{day}-{hour}",
            day,
            "acc-9",
            day,
            start=f"2026-10-{day}T{hour}:00:00Z",
            end=f"2026-10-{day}T{hour}:30:00Z",
        )
        for day, hour in ((10, "05"), (14, "22"), (14, "23"), (16, "05"))
    ]
    # In the zone of the provider the 15th begins on the 14th at 23:00 UTC.
    assert edda.readings.send("oxbow/vaults", days).accepted == 4
    world.settle()
    [left] = edda.ownership_rules.unowned("oxbow", "2026-10").items
    assert (left.first_day, left.readings) == (date(2026, 10, 14), 2)
    seen = edda.usage.sum("oxbow", "2026-10", by=("project",), wait=60).items
    assert {each.keys["project"]: each.quantity for each in seen} == {"saltmarsh/booking": 10 + 14}
    whose = edda.ownership_rules.of_resource("oxbow", "2026-10", "vm-1").items
    told = {(each.first_day.day, each.owner, each.readings) for each in whose}
    assert told == {(10, "saltmarsh/booking", 1), (14, "saltmarsh/booking", 1), (14, None, 1), (16, None, 1)}
    # What is nobody's already does not go anywhere without the rule.
    [move] = edda.ownership_rules.preview("oxbow", []).moves
    assert (move.before, move.readings) == ("saltmarsh/booking", 2)


def test_a_worker_killed_in_between_leaves_it_to_another(cumulant: World, service: Service) -> None:
    """Marked twice it is made twice, and comes to the same."""
    wanted = rule("All", "quillstone/archive", account={"contains": "7"})
    with service.worker.gate:
        cumulant.mara.ownership_rules.set("tarnwick", [wanted], 0)
        hand = Worker(service.uow, service.worker.owner)
        assert hand.do_next()
        [task] = [each for each in cumulant.mara.tasks.list("tarnwick") if each.kind == "owners by rule"]
        assert task.state == "done" and task.made == task.total
    assert owners(cumulant)["quillstone/archive"] == 1000


CONDITIONS = st.sampled_from([Equals("a"), OneOf(("a", "b")), Prefix("a"), Contains("b")])
RULES = st.lists(
    st.builds(
        OwnershipRule,
        name=st.just("r"),
        shares=st.integers(1, 3).map(lambda number: ((number, 1),)),
        starts_on=st.dates(date(2026, 9, 1), date(2026, 9, 4)),
        ends_on=st.none() | st.dates(date(2026, 9, 5), date(2026, 9, 8)),
        conditions=st.lists(st.tuples(st.sampled_from(["account", "feed"]), CONDITIONS), max_size=2).map(
            lambda each: Conditions(AllOf(tuple(each)))
        ),
    ),
    max_size=4,
)


def test_what_is_listed_and_whether_it_is_old_are_of_one_moment(
    cumulant: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    mara, gate, totals = cumulant.mara, service.worker.gate, unowned_usage.Totals
    version = put(cumulant, rule("Theirs", "quillstone/archive", feed="north-fell"))
    cumulant.settle()

    def meanwhile(*looked: Any) -> Any:
        """All that the rule reached is made again once it was looked at."""
        gate.release()
        while mara.tasks.list("tarnwick", state="open", kind="owners by rule"):
            time.sleep(0.02)
        cumulant.settle()
        return totals(*looked)

    with monkeypatch.context() as patched:
        gate.acquire()
        mara.ownership_rules.set("tarnwick", [], version)
        patched.setattr(unowned_usage, "Totals", meanwhile)
        old = mara.ownership_rules.unowned("tarnwick", PERIOD)
    assert not old.items and old.waiting, "so it is looked at again"
    new = mara.ownership_rules.unowned("tarnwick", PERIOD)
    assert new.items and not new.waiting


@given(before=RULES, after=RULES, said=st.sampled_from(["a", "b", "ab", "c"]), day=st.integers(1, 8))
def test_before_the_first_difference_two_lists_of_rules_say_the_same(
    before: list[OwnershipRule], after: list[OwnershipRule], said: str, day: int
) -> None:
    on, facts = date(2026, 9, day), {"account": said, "feed": "a"}
    changed = first_difference(before, after)
    was, would = (next(RuleIndex(rules).taking(facts, {}, on), None) for rules in (before, after))
    if changed is None or on < changed:
        assert (was and was.shares) == (would and would.shares)


def test_only_what_is_not_as_rules_say_is_made_again(cumulant: World) -> None:
    mara = cumulant.mara

    def marked() -> int:
        tasks = [each for each in mara.tasks.list("tarnwick") if each.kind == "owners by rule"]
        newest = mara.tasks.follow(max(tasks, key=lambda each: each.asked_at).id, seconds=60)
        cumulant.settle()
        return sum((each.result or {})["marked"] for each in newest.steps)

    seven = rule("Seven", "quillstone/archive", account="acc-7")
    put(cumulant, seven)
    assert marked() == 10 and owners(cumulant) == {"quillstone/archive": 1000, "saltmarsh/booking": 7}
    # Another account's rule, and another name of the same, reach nothing of it.
    put(cumulant, seven, rule("Eight", "saltmarsh/harbour", account="acc-8"))
    assert marked() == 1
    put(
        cumulant,
        rule("The same", "quillstone/archive", account="acc-7"),
        rule("Eight", "saltmarsh/harbour", account="acc-8"),
    )
    assert marked() == 0
    both = OwnershipRuleForm(
        name="Both", shares={"quillstone/archive": Decimal(1), "saltmarsh/booking": Decimal(1)}, starts_on=FIRST,
        conditions={"account": "acc-7"},
    )  # fmt: skip
    put(cumulant, both)
    assert marked() == 11
    assert owners(cumulant) == {"quillstone/archive": 500, "saltmarsh/booking": 507}
    put(cumulant)
    assert marked() == 10 and owners(cumulant) == {"saltmarsh/booking": 7}


def test_what_changed_rules_leave_is_what_making_all_again_gives(cumulant: World) -> None:
    """Two readings of a resource and day that change places, beside one that names its owner."""
    random, mara = Random(13), cumulant.mara
    day = {"start": "2026-09-20T05:00:00Z", "end": "2026-09-20T06:00:00Z", "resource": "pair"}
    night = {"start": "2026-09-20T22:00:00Z", "end": "2026-09-21T03:00:00Z", "resource": "night"}
    cumulant.send(
        *(egress(f"{name}-{at['resource']}", many, owner=None, account=name, **at)
          for at in (day, night) for name, many in (("acc-1", 100), ("acc-2", 30))),
        egress("own", 3, **day),
    )  # fmt: skip
    projects = ("quillstone/archive", "saltmarsh/booking", "saltmarsh/harbour")
    for _ in range(6):
        accounts = random.sample(("acc-1", "acc-2", "acc-7", "acc-8"), random.randint(1, 4))
        rules = [
            rule(f"For {name}", random.choice(projects), random.choice((FIRST, date(2026, 9, 5))), account=name)
            for name in accounts
        ]
        put(cumulant, *rules)
        left = owners(cumulant)
        task = mara.tasks.follow(mara.usage_remakes.start("tarnwick", PERIOD).id, seconds=60)
        assert task.state == "done" and owners(cumulant) == left
