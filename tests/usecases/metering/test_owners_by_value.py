"""Rules that go by a value: a table gives it its owner, or it is the owner's path; what it does not know goes on."""

from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from gradumen.core.errors import Invalid
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.world import SERVICES, World, files, reading

SEPTEMBER = "2026-09"
TABLE = {"acc-1": "quillstone/archive", "acc-2": "saltmarsh/booking"}


def rule(name: str, **changes: Any) -> OwnershipRuleForm:
    given: dict[str, Any] = {"starts_on": date(2026, 9, 1), "conditions": {"feed": "north-fell"}}
    return OwnershipRuleForm(name=name, **{**given, **changes})


def put(world: World, *rules: OwnershipRuleForm) -> None:
    mara = world.mara
    mara.ownership_rules.set("tarnwick", list(rules), mara.ownership_rules.get("tarnwick").version)
    for task in mara.tasks.list("tarnwick"):
        mara.tasks.follow(task.id, seconds=60)
    world.settle()


def owners(world: World) -> dict[str, str]:
    """Whose the usage of each resource is; what is nobody's is not there."""
    world.settle()
    items = world.mara.usage.sum("tarnwick", SEPTEMBER, by=("resource", "project"), wait=60).items
    return {each.keys["resource"]: each.keys["project"] for each in items}


def test_a_table_gives_each_account_its_owner_and_others_go_on_to_the_next_rule(world: World) -> None:
    for account in ("acc-1", "acc-2", "acc-3"):
        world.send(reading(account, owner=None, account=account, resource=f"vm-{account}"))
    world.send(reading("none", owner=None, resource="vm-none"))
    assert owners(world) == {}
    put(world, rule("by account", by="account", owners=TABLE), rule("rest", owner="thistledown/records",
                                                                    conditions={"account": "acc-3"}))  # fmt: skip
    assert owners(world) == {
        "vm-acc-1": "quillstone/archive",
        "vm-acc-2": "saltmarsh/booking",
        "vm-acc-3": "thistledown/records",
    }
    [told, _] = world.mara.ownership_rules.get("tarnwick").rules
    assert (told.by, told.owners, told.owner, told.shares) == ("account", TABLE, None, None)
    # One of the table is another's from now on, another one's no more.
    put(world, rule("by account", by="account", owners={"acc-1": "saltmarsh/harbour"}, conditions={}))
    assert owners(world) == {"vm-acc-1": "saltmarsh/harbour"}
    put(world)
    assert owners(world) == {}
    told = [each for each in world.mara.audit_entries.list("tarnwick") if each.action == "ownership rules set"]
    assert told[1].after == {
        "rules": ["by account: whom account names, of 1 in a table"],
        "owners": {"by account": {"acc-1": "saltmarsh/harbour"}},
    }
    assert told[1].before is not None and told[1].before["owners"] == {"by account": TABLE}


def test_a_tag_names_its_owner_itself_also_one_that_is_made_later(world: World) -> None:
    tagged = SERVICES.split("---")[0].replace("{size: [small, large]}", "{size: [small, large], team: []}")
    world.mara.catalogue.publish("tarnwick", files(tagged))
    put(world, rule("by team", by="where.team"))
    for team in ("quillstone/archive", "saltmarsh/later", "nobody/at-all", "text", "tarnwick/own"):
        attributes = {"size": "small", "team": team}
        world.send(reading(team, owner=None, resource=f"vm-{team}", attributes=attributes))
    world.send(reading("bare", owner=None, resource="vm-bare"))
    named = {"vm-quillstone/archive": "quillstone/archive", "vm-tarnwick/own": "tarnwick/own"}
    assert owners(world) == named
    world.user("ines").projects.create("saltmarsh", slug="later", name="Later")
    assert owners(world) == {**named, "vm-saltmarsh/later": "saltmarsh/later"}
    [told] = world.mara.ownership_rules.get("tarnwick").rules
    assert (told.by, told.owners) == ("where.team", None)


def test_a_preview_says_exactly_what_moves_to_whom(world: World) -> None:
    for account in ("acc-1", "acc-2", "acc-3"):
        world.send(reading(account, owner=None, account=account, resource=f"vm-{account}"))
    found = world.mara.ownership_rules.preview("tarnwick", [rule("by account", by="account", owners=TABLE)])
    assert {(each.before, each.after, each.rule, each.resources) for each in found.moves} == {
        (None, "quillstone/archive", "by account", 1),
        (None, "saltmarsh/booking", "by account", 1),
    }
    assert found.nobodys == 1
    put(world, rule("by account", by="account", owners=TABLE))
    back = world.mara.ownership_rules.preview("tarnwick", [])
    assert {(each.before, each.after) for each in back.moves} == {
        ("quillstone/archive", None),
        ("saltmarsh/booking", None),
    }
    assert [each.quantities[0].quantity for each in back.moves] == [Decimal(4 * 6 * 3600)] * 2


@pytest.mark.parametrize(
    ("changes", "field", "why"),
    [
        ({}, "owner", "names one owner"),
        ({"by": "account", "owner": "quillstone/archive"}, "owner", "names one owner"),
        ({"by": "meter"}, "by", "not one of feed, account, source, resource"),
        ({"by": "where."}, "by", "not one of"),
        ({"owners": TABLE}, "by", "needs by"),
        ({"by": "account", "owners": {}}, "owners", "1 to 5000 values"),
        ({"by": "account", "owners": {"": "quillstone/archive"}}, "owners.", "1 to 191 signs"),
        ({"by": "account", "owners": {"acc-1": "nowhere/at"}}, "owners.acc-1", "no project of Tarnwick"),
        ({"by": "account", "owners": {str(n): "quillstone/archive" for n in range(5001)}}, "owners", "not 5001"),
    ],
)
def test_what_is_no_rule_by_value_is_refused_at_its_field(
    world: World, changes: dict[str, Any], field: str, why: str
) -> None:
    with pytest.raises(Invalid, match=why) as refused:
        world.mara.ownership_rules.preview("tarnwick", [rule("wrong", **changes)])
    assert refused.value.facts["field"] == f"rules[0].{field}"


def test_a_large_table_is_looked_up_and_not_walked(world: World) -> None:
    table = {f"acc-{number}": "quillstone/archive" for number in range(4999)} | {"acc-9999": "saltmarsh/booking"}
    put(world, rule("many", by="account", owners=table))
    world.send(*(reading(f"r{n}", owner=None, account=f"acc-{n}", resource=f"vm-{n}") for n in range(0, 300, 3)))
    world.send(reading("last", owner=None, account="acc-9999", resource="vm-last"))
    found = owners(world)
    assert len(found) == 101 and found["vm-last"] == "saltmarsh/booking"
