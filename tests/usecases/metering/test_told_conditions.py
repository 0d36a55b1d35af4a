"""Rules of ownership with patterns, least numbers, what is said or not, any of several and none of them."""

import time
from datetime import date
from decimal import Decimal
from random import Random
from typing import Any

import pytest

from gradumen.core.errors import Invalid
from gradumen.core.metering.dated_rules import RuleIndex
from gradumen.wire.metering.condition_forms import condition_words
from gradumen.wire.metering.ownership_forms import read_ownership, rule_of
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.world import World, egress

DAY = date(2026, 9, 1)
GIB = 1024**3


def takes(conditions: dict[str, Any], facts: dict[str, str], attributes: dict[str, str]) -> bool:
    rule = rule_of("r", ((1, 1),), DAY, None, read_ownership(conditions))
    return rule.conditions.hold(facts, attributes)


def plainly(condition: Any, said: str | None) -> bool:
    if isinstance(condition, dict) and "present" in condition:
        return (said is not None) == condition["present"]
    if said is None:
        return False
    match condition:
        case {"prefix": part}:
            return said[: len(part)] == part
        case {"contains": part}:
            return part in said
        case {"pattern": _}:
            return said in ("b1", "b2")
        case {"at-least": least}:
            return said.isdigit() and int(said) >= int(least)
    return said in condition if isinstance(condition, list) else said == condition


def together(conditions: dict[str, Any], facts: dict[str, str], attributes: dict[str, str]) -> bool:
    own = {name: each for name, each in conditions.items() if name not in ("where", "any", "none")}
    return all(plainly(each, facts.get(name)) for name, each in own.items()) and all(
        plainly(each, attributes.get(name)) for name, each in conditions.get("where", {}).items()
    )


@pytest.mark.parametrize("seed", range(5))
def test_of_many_rules_those_are_found_that_take_it_in_their_order(seed: int) -> None:
    random = Random(seed)
    rules = []
    for number in range(60):
        conditions = some(random)
        if random.random() < 0.3:
            conditions["any"] = [some(random) for _ in range(2)]
        rules.append(rule_of(f"r-{number}", ((number, 1),), DAY, None, read_ownership(conditions)))
    index = RuleIndex(rules)
    for _ in range(200):
        facts = {name: random.choice(TEXTS) for name in ("account", "resource") if random.random() < 0.8}
        attributes = {"tier": random.choice(TEXTS)} if random.random() < 0.7 else {}
        expected = [each for each in rules if each.conditions.hold(facts, attributes)]
        assert list(index.taking(facts, attributes, DAY)) == expected
        assert list(index.taking({"account": None, **facts}, attributes, DAY)) == expected


TEXTS = ("a1", "b1", "b2", "5", "12")


def some(random: Random) -> dict[str, Any]:
    def one() -> Any:
        return random.choice(
            [
                random.choice(TEXTS), random.sample(TEXTS, 2), {"prefix": "b"}, {"contains": "1"}, {"pattern": "b[12]"},
                {"at-least": "6"}, {"present": True}, {"present": False},
            ]
        )  # fmt: skip

    names = random.sample(["account", "resource", "where"], random.randint(1, 2))
    return {name: {"tier": one()} if name == "where" else one() for name in names}


@pytest.mark.parametrize("seed", range(20))
def test_a_rule_takes_what_its_conditions_say(seed: int) -> None:
    random = Random(seed)
    for _ in range(200):
        conditions = some(random)
        for name in ("any", "none"):
            if random.random() < 0.5:
                conditions[name] = [some(random) for _ in range(random.randint(1, 3))]
        facts = {name: random.choice(TEXTS) for name in ("account", "resource") if random.random() < 0.8}
        attributes = {"tier": random.choice(TEXTS)} if random.random() < 0.7 else {}
        expected = (
            together(conditions, facts, attributes)
            and any(together(each, facts, attributes) for each in conditions.get("any", [{}]))
            and not any(together(each, facts, attributes) for each in conditions.get("none", []))
        )
        assert takes(conditions, facts, attributes) is expected, condition_words(conditions)


@pytest.mark.parametrize(
    ("conditions", "words"),
    [
        ({"account": {"pattern": "("}}, r"pattern '\(' cannot be read"),
        ({"account": {"pattern": "(?<=a)b"}}, "cannot be read"),
        ({"account": {"pattern": "x" * 201}}, "1 to 200 characters"),
        ({"account": {"pattern": "(?:" * 40 + "a{1,1000}" + "){1,1000}" * 40}}, "pattern"),
        ({"account": {"at-least": "much"}}, "at-least"),
        ({"account": {"present": "yes"}}, "present is true or false"),
        ({"account": {"suffix": "x"}}, "one of {prefix: text}"),
        ({"any": [{}]}, r"any\[0\] has no condition"),
        ({"any": [{"any": [{"account": "a"}]}]}, "any"),
        ({"none": [{"account": "a"}] * 51}, "at most 50"),
        ({"any": {"account": "a"}}, "any"),
        ({}, "at least one of"),
    ],
)
def test_conditions_that_cannot_be_are_refused(conditions: dict[str, Any], words: str) -> None:
    with pytest.raises(Invalid, match=words):
        read_ownership(conditions)


def test_a_pattern_that_would_go_back_for_ever_does_not() -> None:
    began = time.monotonic()
    for _ in range(1000):
        assert not takes({"resource": {"pattern": "(a*)*(a|aa)+b"}}, {"resource": "a" * 190}, {})
    assert time.monotonic() - began < 20


def test_conditions_come_back_as_they_were_written() -> None:
    written: dict[str, Any] = {
        "account": {"present": False},
        "where": {"size": {"at-least": "2.5"}, "site": ["north", "south"]},
        "any": [{"resource": {"pattern": "vm-[0-9]+"}}, {"feed": {"contains": "x"}}],
        "none": [{"where": {"size": "large"}}],
    }
    assert read_ownership(written) == written
    assert read_ownership(read_ownership(written)) == written


def test_what_such_rules_take_is_used_by_whom_they_name(world: World) -> None:
    def sent(name: str, account: str | None, quantity: int) -> dict[str, Any]:
        return egress(name, quantity * GIB, owner=None, account=account, resource=name)

    world.send(sent("web-1", "a", 1), sent("web-x", None, 2), sent("db-1", None, 4), sent("web-22", None, 8))
    rule = OwnershipRuleForm(
        name="numbered, or databases, without account", owner="quillstone/archive", starts_on=DAY,
        conditions={
            "any": [{"resource": {"pattern": "web-[0-9]+"}}, {"resource": {"prefix": "db-"}}],
            "none": [{"account": {"present": True}}],
        },
    )  # fmt: skip
    [move] = world.mara.ownership_rules.preview("tarnwick", [rule]).moves
    assert (move.readings, [each.quantity for each in move.quantities]) == (2, [Decimal(12) * GIB])
    found = world.mara.ownership_rules.set("tarnwick", [rule], 0)
    assert found.rules[0].conditions == rule.conditions
    for task in world.mara.tasks.list("tarnwick"):
        assert world.mara.tasks.follow(task.id, seconds=60).state == "done"
    world.settle()
    used = world.mara.usage.sum("quillstone", "2026-09", by=("resource",)).items
    assert {each.keys["resource"]: each.quantity / GIB for each in used} == {"db-1": 4, "web-22": 8}
