"""Whose a resource is, and why: as it was sent, by a rule and which, or nobody's."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.core.errors import Forbidden, NotFound
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm
from tests.usecases.metering.test_ownership_rules import egress, put, rule, sent
from tests.world import World


def test_it_says_who_was_named_and_which_rule_took_what(world: World) -> None:
    mara = world.mara
    world.send(
        *(sent(f"a-{day}", day, "acc-7", resource="box") for day in (3, 4, 5, 8, 9)),
        sent("b", 5, None, resource="box"),
        egress("named", 7, resource="box", start="2026-09-06T05:00:00Z", end="2026-09-06T06:00:00Z"),
        sent("other", 3, "acc-7", resource="other"),
    )  # fmt: skip
    half = {"quillstone/archive": Decimal(1), "saltmarsh/booking": Decimal(1)}
    shared = OwnershipRuleForm(name="Both", shares=half, starts_on=date(2026, 9, 9), conditions={"account": "acc-7"})
    put(world, rule("Seven", "quillstone/archive", date(2026, 9, 4), date(2026, 9, 9), account="acc-7"), shared)
    found = mara.ownership_rules.of_resource("tarnwick", "2026-09", "box")
    told = [
        (each.first_day.day, each.last_day.day, each.account, each.named, each.rule, each.owner, each.readings)
        for each in found.items
    ]
    assert told == [
        (3, 3, "acc-7", None, None, None, 1),
        (4, 5, "acc-7", None, "Seven", "quillstone/archive", 2),
        (5, 5, None, None, None, None, 1),
        (6, 6, None, "saltmarsh/booking", None, "saltmarsh/booking", 1),
        (8, 8, "acc-7", None, "Seven", "quillstone/archive", 1),
        (9, 9, "acc-7", None, "Both", "quillstone/archive (1), saltmarsh/booking (1)", 1),
    ]
    assert {(each.feed, each.meter) for each in found.items} == {("tarnwick/north-fell", "network/egress")}
    assert not found.more and mara.ownership_rules.of_resource("tarnwick", "2026-08", "box").items == []
    by = ByUsageForm(meter="compute/vcpu")
    put(
        world,
        OwnershipRuleForm(name="By", by_usage=by, starts_on=date(2026, 9, 1), conditions={"meter": "network/egress"}),
    )
    [*_, last] = mara.ownership_rules.of_resource("tarnwick", "2026-09", "box").items
    assert (last.rule, last.owner) == ("By", "each by what it used of compute/vcpu")


def test_it_is_for_the_sellers_own(world: World) -> None:
    world.send(sent("a", 3, "acc-7", resource="box"))
    assert world.user("oda").ownership_rules.of_resource("tarnwick", "2026-09", "box").items
    assert world.user("edda").ownership_rules.of_resource("oxbow", "2026-09", "box").items == []
    with pytest.raises(NotFound):
        world.user("una").ownership_rules.of_resource("tarnwick", "2026-09", "box")
    with pytest.raises(Forbidden):
        world.mara.ownership_rules.of_resource("oxbow", "2026-09", "box")
